// One connection to the application, however many of its pages are open: browsers allow few at once.
const pages = new Set();
const source = new EventSource("/news");
source.addEventListener("work", (event) => {
  for (const page of pages) page.postMessage(event.data);
});
self.addEventListener("connect", (event) => pages.add(event.ports[0]));
