// One connection to the application, however many of its pages are open: browsers allow few at once.
const pages = new Set();
const source = new EventSource("/news");
let last;
source.addEventListener("work", (event) => {
  last = event.data;
  for (const page of pages) page.postMessage(last);
});
self.addEventListener("connect", (event) => {
  const page = event.ports[0];
  pages.add(page);
  // Something may have changed between the drawing of this page and now; without any news yet, the first will come to it.
  if (last !== undefined) page.postMessage(last);
});
