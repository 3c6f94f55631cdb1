// The page of whole pictures: what follows from the sentences is drawn anew, and pictures are weighed while a person reads.

import { refresh } from "./refresh.js";

const list = () => document.querySelector("#photo-list");

// One at a time, and the last one always: what was asked for meanwhile is asked for once more.
let drawing = false;
let again = false;
const draw = async () => {
  if (drawing) return void (again = true);
  drawing = true;
  do {
    again = false;
    await refresh("#photo-list", "#whole-head");
  } while (again);
  drawing = false;
};
document.addEventListener("ruled", ({ detail }) => !detail.refused && draw());
document.addEventListener("part-kept", draw);
document.addEventListener("htmx:afterSwap", ({ target }) => target.id === "rules" && draw());
document.addEventListener("htmx:afterSettle", () => {
  const run = document.querySelector("#run");
  if (run && run.dataset.state !== "running" && document.querySelector("#whole-head[data-running]")) draw();
});
document.addEventListener("htmx:afterRequest", ({ target }) => target.matches("[data-then-refresh]") && draw());

// While backdrops are cleared, pictures come one after the other.
const follow = () => document.querySelector("#whole-head[data-going]") && setTimeout(draw, 1500);
document.addEventListener("refreshed", follow);
follow();

// Bytes: asked for again while that makes them surer, unless the list was drawn anew meanwhile. While files come in they
// are not: every picture that is weighed makes these wait.
let weighing = 0;
const weigh = async (turn = 0, of = ++weighing) => {
  const address = list()?.dataset.bytes;
  const coming = document.querySelector("#uploads:not([hidden]) progress:not([hidden])");
  if (!address || coming || !document.querySelector("[data-of]")) return;
  const answer = await fetch(`${address}?turn=${turn}`);
  if (!answer.ok || of !== weighing) return;
  const found = await answer.json();
  for (const cell of document.querySelectorAll("[data-of]")) cell.textContent = found.pictures[cell.dataset.of] ?? "";
  const total = document.querySelector("[data-total]");
  if (total) total.textContent = found.total;
  if (found.again && of === weighing) weigh(turn + 1, of);
};
document.addEventListener("refreshed", () => (weigh(), choose()));

// Several rows at once; with shift all from the last one on.
let last = null;
const boxes = () => [...document.querySelectorAll("[name=chosen]")];
const choose = () => {
  const count = boxes().filter((box) => box.checked).length;
  const bar = document.querySelector("#chosen");
  if (!bar) return;
  bar.hidden = !count;
  bar.querySelector("[data-chosen]").textContent = `${count} chosen.`;
};
document.addEventListener("click", (event) => {
  const box = event.target.closest("[name=chosen]");
  if (box) {
    const all = boxes();
    const from = all.findIndex((other) => other.value === last);
    const to = all.indexOf(box);
    if (event.shiftKey && from >= 0)
      for (const other of all.slice(Math.min(from, to), Math.max(from, to) + 1)) other.checked = box.checked;
    last = box.value;
    choose();
  }
  if (event.target.closest("[data-leave-chosen]")) {
    const body = new FormData();
    for (const chosen of boxes().filter((other) => other.checked)) body.append("photos", chosen.value);
    fetch(`${location.pathname}/leave-out`, { method: "POST", body }).then(draw);
  }
});
document.addEventListener("keydown", (event) => {
  if (event.key.toLowerCase() !== "c" || event.ctrlKey || event.metaKey || event.altKey) return;
  const box = document.activeElement?.closest("tr.row")?.querySelector("[name=chosen]");
  if (!box) return;
  event.preventDefault();
  box.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true, shiftKey: event.shiftKey }));
});

weigh();
choose();
