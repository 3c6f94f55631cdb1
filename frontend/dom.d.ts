// What the checks of our scripts know of pages: a selector finds what our own templates put there, of whatever kind.
// Arrays of numbers are maps, boxes and points alike.

interface Window {
  htmx: { ajax(method: string, url: string, options: object): Promise<void>; process(element: Element): void; [name: string]: any };
}

interface EventTarget {
  [name: string]: any;
}

interface Event {
  [name: string]: any;
}

interface HTMLFormControlsCollection {
  [name: string]: any;
}
