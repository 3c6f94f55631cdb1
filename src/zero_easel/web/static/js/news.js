// What has changed is heard of once for all pages of this browser, and each asks then for the parts that it shows: whatever
// listens to "work" on the body.
const listeners = [];
let missed = false;

const tell = () => {
  // A page that nobody sees waits until somebody does.
  missed = document.hidden;
  if (missed) return;
  document.body.dispatchEvent(new CustomEvent("work"));
  for (const listener of listeners) listener();
};

export const onWork = (listener) => listeners.push(listener);

document.addEventListener("visibilitychange", () => !document.hidden && missed && tell());

if (window.SharedWorker) {
  const worker = new SharedWorker("/static/js/news-worker.js");
  worker.port.onmessage = tell;
  // A page that comes back out of the browser's memory has heard nothing meanwhile.
  window.addEventListener("pageshow", (event) => event.persisted && tell());
} else {
  new EventSource("/news").addEventListener("work", tell);
}
