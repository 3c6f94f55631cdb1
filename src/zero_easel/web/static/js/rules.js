// Sends each rule as it is changed, in order. The sentences stay as they are, so that typing on is never disturbed;
// the server answers with the parts around them, and with all values as it keeps them.

import { hearSentences, tellSentences } from "./sentences.js";

const root = () => document.querySelector("#rules");
const sent = new Map();
const waiting = new Map();

// What listens sits on the sentences, which are drawn anew by undo and redo.
const listen = () => {
  sent.clear();
  hearSentences(root(), (field, value, more = {}) => {
    if (!more.drop && sent.get(field) === value) return;
    sent.set(field, value);
    const { rules, shoot, category, view, on } = root().dataset;
    const values = { field, value, shoot_id: shoot, category, view, on, ...more };
    waiting.set(field, values);
    window.htmx.ajax("POST", `${rules}/rule`, { source: root(), swap: "none", values });
  });
};
listen();

// What waits for its answer is sent again to the server when the page is left: it may not have been sent yet.
window.addEventListener("pagehide", () => {
  for (const values of waiting.values()) {
    const body = new FormData();
    for (const [key, value] of Object.entries(values)) body.append(key, value);
    navigator.sendBeacon(`${root().dataset.rules}/rule`, body);
  }
});

document.addEventListener("ruled", ({ detail }) => {
  tellSentences(root(), detail, (input, kept, refused) => {
    const { field } = input.dataset;
    // What is being typed now, or was sent and is not answered yet, is newer than what the server says.
    const newer = input === document.activeElement && input.value !== sent.get(field);
    const pending = sent.has(field) && field !== detail.field && input.value !== kept;
    if (!newer && !pending && !refused) input.value = kept;
  });
  sent.delete(detail.field);
  waiting.delete(detail.field);
});

// Undo and redo draw the sentences anew: parts may come or go.
document.addEventListener("click", ({ target }) => {
  const direction = target.dataset?.step;
  if (!direction) return;
  const { rules, shoot, category, view, on } = root().dataset;
  const values = { shoot_id: shoot, category, view, on };
  window.htmx.ajax("POST", `${rules}/step/${direction}`, { target: "#rules", swap: "outerHTML", values }).then(listen);
});

// Sizes that follow from others stand as text in the sentences.
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  const answer = new DOMParser().parseFromString(detail.xhr.responseText, "text/html");
  for (const fresh of answer.querySelectorAll("[data-new-size]")) {
    const shown = root().querySelector(`[data-size="${CSS.escape(fresh.dataset.newSize)}"]`);
    if (shown) shown.textContent = ` ${fresh.innerHTML}`;
  }
});

// Which items stand beside the sentences, and on which canvas.
document.addEventListener("change", ({ target }) => {
  const which = target.dataset?.samples;
  if (!which) return;
  const to = new URLSearchParams(window.location.search);
  to.set(which, target.value);
  window.location.search = to.toString();
});
