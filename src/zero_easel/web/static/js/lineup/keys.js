// Keys, and the numbers that are typed.

import { snapMove } from "../snap.js";
import { moveBy } from "./dragging.js";
import { draw, drawAll, drawVisible, number, sayNumbers, select } from "./drawing.js";
import { forgetNudge, later, post, say } from "./keeping.js";
import { boxUnder, chosen, matrixOf, neighbours, reasons, root, standardBox, state, unit } from "./model.js";

// Keys.
export const nudge = (dx, dy, event) => {
  const item = chosen();
  if (!item || item.uncut || !item.box) return false;
  const by = event.shiftKey ? 10 : 1;
  const adjustment = { ...item.adjustment };
  const box = boxUnder(item, matrixOf(item));
  // A key catches only on what it comes to within one step, and moves off again with the next.
  moveBy(item, adjustment, box, dx * by, dy * by, 0);
  const target = standardBox(item, boxUnder(item, matrixOf(item)));
  const caught = snapMove(target, item, neighbours(item), by / 2);
  const along = dx ? { across: caught.across, dx: caught.dx, dy: 0 } : { down: caught.down, dx: 0, dy: caught.dy };
  if ((dx && Math.abs(along.dx) < by) || (dy && Math.abs(along.dy) < by)) {
    item.adjustment.right += along.dx / unit();
    item.adjustment.down += along.dy / unit();
    state.caught = { across: along.across, down: along.down };
  }
  draw(item);
  sayNumbers();
  later(item);
  return true;
};

const toggleMode = () => {
  state.mode = state.mode === "row" ? "canvases" : "row";
  root.classList.toggle("canvases", state.mode === "canvases");
  document.body.classList.toggle("whole-canvases", state.mode === "canvases");
  drawAll();
  if (state.selected) select(state.selected);
  return true;
};

const overNext = () => {
  const item = chosen();
  const others = state.row.items.filter((one) => one !== item);
  if (!item || !others.length) return false;
  const at = others.findIndex((one) => one.id === state.over);
  const before = others[Math.max(0, state.row.items.indexOf(item) - 1)];
  state.over = state.over === null ? before.id : (others[(at + 1) % others.length].id);
  draw(item);
  sayNumbers();
  return true;
};

const nextOut = () => {
  const out = state.row.items.filter((item) => reasons(item).length);
  if (!out.length) return say("Nothing stands out."), true;
  const at = state.row.items.findIndex((item) => item.id === state.selected);
  select((out.find((item) => state.row.items.indexOf(item) > at) ?? out[0]).id);
  return true;
};

const drop = () => {
  const item = chosen();
  if (!item) return false;
  forgetNudge();
  post("drop", { photos: [item.id] });
  return true;
};

export const keys = {
  ArrowLeft: (event) => nudge(-1, 0, event),
  ArrowRight: (event) => nudge(1, 0, event),
  ArrowUp: (event) => nudge(0, -1, event),
  ArrowDown: (event) => nudge(0, 1, event),
  n: nextOut,
  v: toggleMode,
  o: overNext,
  m: () => ((state.measures = !state.measures), drawVisible(), sayNumbers(), true),
  e: () => Boolean(chosen()) && ((state.edge = !state.edge), sayNumbers(), say(state.edge ? "Drag along an edge that ought to be level or upright." : ""), true),
  0: drop,
  u: () => (post("step/undo"), true),
  U: () => (post("step/redo"), true),
  Escape: () => {
    if (state.edge || state.over) [state.edge, state.over] = [false, null];
    else if (state.selected) state.selected = null;
    else return false;
    drawAll();
    return true;
  },
};

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
  if (event.target.closest("input, select, textarea")) return;
  if (keys[event.key]?.(event)) {
    event.preventDefault();
    event.stopImmediatePropagation();
  }
}, true);

// The numbers, typed.
const typed = {
  right: (value) => ({ right: value / unit() }),
  down: (value) => ({ down: value / unit() }),
  scale: (value) => ({ scale: value / 100 }),
  turn: (value) => ({ turn: value }),
};
for (const [id, change] of Object.entries(typed))
  number(id).addEventListener("change", () => {
    const item = chosen();
    const value = Number(number(id).value.replace(",", "."));
    if (!item) return;
    if (!Number.isFinite(value) || (id === "scale" && value < 2)) return say(`${id} must be a number`, true);
    post("adjust", { photos: [item.id], ...change(value) });
  });
number("backdrop").addEventListener("change", () => post("adjust", { photos: [state.selected], backdrop: number("backdrop").value }));
number("over").addEventListener("change", () => {
  state.over = Number(number("over").value) || null;
  draw(chosen());
});
document.querySelector("#hand-edge").addEventListener("click", () => keys.e());
document.querySelector("#hand-drop").addEventListener("click", drop);
document.querySelector("#hand-same").addEventListener("click", () => post(`${state.selected}/same`));
document.querySelector("#hand-rule").addEventListener("click", () => post(`${state.selected}/rule`));
document.querySelector("#hand-standard").addEventListener("click", () => post(`${state.selected}/standard`));
for (const direction of ["undo", "redo"]) document.querySelector(`#step-${direction}`).addEventListener("click", () => post(`step/${direction}`));
