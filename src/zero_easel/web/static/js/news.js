// What has changed is heard of once for all pages of this browser, and each asks then for the parts that it shows: whatever
// listens to "work" on the body.
import { isHeld, keyboard, onRelease } from "./hand.js";

const AGAIN = 2000;
const listeners = [];
let asked = 0;
let missed = false;
let back;

const tell = () => {
  // A page that nobody sees waits until somebody does. While parts are on their way a new one takes an old one's place, and
  // would not hear of what has changed since it was drawn.
  missed = document.hidden || asked > 0;
  if (missed) return;
  document.body.dispatchEvent(new CustomEvent("work"));
  for (const listener of listeners) listener();
};

export const onWork = (listener) => listeners.push(listener);

document.addEventListener("visibilitychange", () => !document.hidden && missed && tell());

const isNews = (detail) => detail.requestConfig.triggeringEvent?.type === "work";

document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  if (!isNews(detail)) return;
  if (isHeld()) {
    detail.shouldSwap = false;
    onRelease(tell);
  } else back = keyboard();
});

document.addEventListener("htmx:beforeSend", ({ detail }) => {
  if (!isNews(detail)) return;
  asked += 1;
  // After what came has been put into the page, and also if nothing came.
  detail.xhr.addEventListener("loadend", () => {
    back?.();
    back = undefined;
    asked -= 1;
    if (detail.xhr.status >= 500) setTimeout(tell, AGAIN);
    else if (!asked && missed) tell();
  });
});

if (window.SharedWorker) {
  const worker = new SharedWorker("/static/js/news-worker.js");
  worker.port.onmessage = tell;
  // A page that comes back out of the browser's memory has heard nothing meanwhile.
  window.addEventListener("pageshow", (event) => event.persisted && tell());
} else {
  new EventSource("/news").addEventListener("work", tell);
}
