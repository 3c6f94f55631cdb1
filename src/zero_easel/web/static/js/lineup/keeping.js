// What a person did goes to the server, in the order in which it was done; its answers come into the row.

import { PAGE } from "../meanwhile.js";
import { tellSentences } from "../sentences.js";
import { drawAll, drawn } from "./drawing.js";
import { root, state } from "./model.js";

export const rules = document.querySelector("#rules");

// Everything goes to the server in the order in which it was done.
const query = `?category=${encodeURIComponent(root.dataset.category)}&view=${encodeURIComponent(root.dataset.view)}&page=${root.dataset.page}`;
let queue = Promise.resolve();
let pending = 0;
export const send = (path, options) => {
  keepNudge();
  pending += 1;
  queue = queue.then(async () => {
    let answer;
    try {
      const response = await fetch(`/shoots/${root.dataset.shoot}/${path}`, { method: "POST", headers: { "X-Requested-With": "zero-easel" }, ...options });
      if (!response.ok) throw new Error(String(response.status));
      answer = await response.json();
      root.dataset.moment = response.headers.get("X-Moment") ?? root.dataset.moment;
    } catch {
      say("Not kept: is the application still running?", true);
      return;
    } finally {
      pending -= 1;
    }
    take(answer);
    if (answer.overtaken) again(path, options);
  });
  return queue;
};
const asJson = (data) => ({ body: JSON.stringify(data), headers: { "Content-Type": "application/json" } });
export const post = (path, data) =>
  send(`place/${path}${query}`, asJson(data?.photos ? { ...data, page_id: PAGE, since: Number(root.dataset.moment) } : (data ?? {})));

// Somebody else was faster: theirs stands in the row, and what was to be done here can be done all the same.
const again = (path, options) => {
  const button = document.createElement("button");
  button.type = "button";
  button.className = "link";
  button.textContent = "Do it all the same";
  button.addEventListener("click", () => send(path, asJson({ ...JSON.parse(options.body), since: Number(root.dataset.moment) })));
  document.querySelector("#rules-message").append(" ", button);
};

export const say = (text, fault = false) => {
  const line = document.querySelector("#rules-message");
  line.textContent = text;
  line.className = fault ? "fault" : "soft";
};

const take = (answer) => {
  say(answer.message, answer.fault);
  for (const direction of ["undo", "redo"]) {
    const button = document.querySelector(`#step-${direction}`);
    button.disabled = !answer[direction];
    button.title = answer[direction];
  }
  // What is still on its way is newer than this.
  if (!pending && !state.drag) {
    // What no rule changes came with the page.
    const before = new Map(state.row.items.map((item) => [item.id, item]));
    const known = answer.row.items.every((item) => before.has(item.id));
    if (!known) return window.location.reload();
    state.row = { ...answer.row, items: answer.row.items.map((item) => ({ ...before.get(item.id), ...item })) };
    const held = document.activeElement?.closest?.(".one")?.dataset.id;
    drawAll();
    if (held && drawn.has(Number(held))) drawn.get(Number(held)).group.focus({ preventScroll: true });
  }
  if (answer.values) showValues(answer);
  root.dataset.answers = String(Number(root.dataset.answers ?? 0) + 1);
  if (answer.field !== undefined) window.htmx.ajax("GET", `/shoots/${root.dataset.shoot}/line/place`, { target: "#zero-line", swap: "outerHTML" });
};

const showValues = (answer) =>
  tellSentences(rules, answer, (input, kept, refused) => {
    if (!refused && (input !== document.activeElement || input.tagName === "SELECT")) input.value = kept;
  });

export const keep = (item) => {
  // Without the last digits of a sum of steps: back on the line is exactly back.
  const [scale, right, down] = [item.adjustment.scale, item.adjustment.right, item.adjustment.down].map((v) => Number(v.toFixed(6)) || 0);
  item.moved = true;
  return post("adjust", { photos: [item.id], scale, right, down });
};

// Steps of keys are kept together, a moment after the last one. Until then no answer to something earlier may redraw
// the row as it was, and whatever is done next goes after them.
let nudged = null;
export const later = (item) => {
  if (nudged) clearTimeout(nudged.timer);
  else pending += 1;
  nudged = { item, timer: setTimeout(keepNudge, 250) };
};
export const forgetNudge = () => {
  if (!nudged) return null;
  const { item, timer } = nudged;
  clearTimeout(timer);
  nudged = null;
  pending -= 1;
  return item;
};
const keepNudge = () => {
  const item = forgetNudge();
  if (item) keep(item);
};
