// Items, corners and edges in a person's hand.

import { apply, inverse, moved, then } from "../maps.js";
import { snapMove, snapScale } from "../snap.js";
import { canvas, draw, drawAll, sayNumbers, select } from "./drawing.js";
import { keep, post } from "./keeping.js";
import { REACH, boxUnder, chosen, footOf, matrixOf, neighbours, standardBox, state, toRow, unit } from "./model.js";

const pointer = (event) => {
  const bounds = canvas.getBoundingClientRect();
  return [event.clientX - bounds.left, event.clientY - bounds.top];
};

canvas.addEventListener("pointerdown", (event) => {
  if (event.button) return;
  const corner = event.target.closest?.(".corner")?.dataset.corner;
  const id = corner ? state.selected : Number(event.target.closest?.(".one")?.dataset.id ?? (event.target.closest?.(".held") ? state.selected : 0));
  if (!id) return select(null);
  select(id);
  const item = chosen();
  const start = pointer(event);
  canvas.setPointerCapture(event.pointerId);
  event.preventDefault();
  state.drag = { item, corner, start, adjustment: { ...item.adjustment }, matrix: matrixOf(item), box: item.box && boxUnder(item, matrixOf(item)), edge: state.edge, from: start, to: start, moved: false };
});

canvas.addEventListener("pointermove", (event) => {
  const drag = state.drag;
  if (!drag) return;
  drag.to = pointer(event);
  drag.free = event.altKey;
  if (!drag.moved && Math.hypot(drag.to[0] - drag.start[0], drag.to[1] - drag.start[1]) < 3) return;
  drag.moved = true;
  // Once for each picture of the screen, however many events there are.
  if (!drag.asked) drag.asked = requestAnimationFrame(() => {
    drag.asked = 0;
    if (state.drag === drag) follow(drag);
  });
});

const follow = (drag) => {
  const { item } = drag;
  const [dx, dy] = [(drag.to[0] - drag.start[0]) / item.z, (drag.to[1] - drag.start[1]) / item.z];
  if (drag.edge) return draw(item);
  if (item.uncut) {
    // What is not cut by its canvas has nothing to choose.
    if (item.uncut === "cover") pan(drag, dx, dy);
  }
  else if (drag.corner) scaleBy(drag);
  else moveBy(item, drag.adjustment, drag.box, dx, dy, drag.free ? 0 : REACH / item.z);
  draw(item);
  sayNumbers();
};

export const moveBy = (item, adjustment, box, dx, dy, reach) => {
  const target = standardBox(item, [box[0] + dx, box[1] + dy, box[2] + dx, box[3] + dy]);
  state.caught = snapMove(target, item, neighbours(item), reach);
  item.adjustment.right = adjustment.right + (dx + state.caught.dx) / unit();
  item.adjustment.down = adjustment.down + (dy + state.caught.dy) / unit();
  item.moved = true;
};

const scaleBy = (drag) => {
  const { item, adjustment } = drag;
  const foot = footOf(item).map((v, axis) => v + [adjustment.right, adjustment.down][axis] * unit());
  const [fx, fy] = apply(toRow(item), foot);
  const from = Math.hypot(drag.start[0] - fx, drag.start[1] - fy);
  const k = Math.max(0.05, Math.hypot(drag.to[0] - fx, drag.to[1] - fy) / Math.max(from, 4));
  const snapped = drag.free ? { k, found: null } : snapScale(standardBox(item, drag.box), standardBox(item, [...foot, ...foot]), k, item, neighbours(item), REACH / item.z);
  state.caught = snapped.found ? { down: snapped.found } : null;
  item.adjustment.scale = adjustment.scale * snapped.k;
  item.moved = true;
};

// An uncut picture is moved under its canvas, never off it; it catches on the photo's own middle.
const pan = (drag, dx, dy) => {
  const { item } = drag;
  const [w, h] = item.canvas;
  const matrix = then(drag.matrix, moved(dx, dy));
  const size = [matrix[0] * item.frame[0], matrix[3] * item.frame[1]];
  for (const [axis, room] of [[4, w], [5, h]]) {
    const long = size[axis - 4];
    matrix[axis] = long > room ? Math.max(room - long, Math.min(0, matrix[axis])) : drag.matrix[axis];
    if (!drag.free && Math.abs(matrix[axis] - (room - long) / 2) < REACH / item.z) matrix[axis] = (room - long) / 2;
  }
  item.matrix = matrix;
};

const release = (event) => {
  const drag = state.drag;
  if (!drag) return;
  if (drag.asked) cancelAnimationFrame(drag.asked);
  if (drag.moved) {
    drag.to = pointer(event);
    follow(drag);
  }
  state.drag = null;
  if (!drag.moved) return;
  const { item } = drag;
  if (drag.edge) levelBy(drag);
  else if (item.uncut) {
    if (item.uncut !== "cover") return;
    const [x, y] = apply(inverse(item.matrix), [item.canvas[0] / 2, item.canvas[1] / 2]);
    post("adjust", { photos: [item.id], keep: [x, y] });
  } else keep(item);
};
canvas.addEventListener("pointerup", release);
canvas.addEventListener("pointercancel", () => {
  if (!state.drag) return;
  Object.assign(state.drag.item.adjustment, state.drag.adjustment);
  state.drag = null;
  drawAll();
});

const levelBy = (drag) => {
  const [dx, dy] = [drag.to[0] - drag.from[0], drag.to[1] - drag.from[1]];
  state.edge = false;
  if (Math.hypot(dx, dy) < 12) return draw(drag.item);
  const angle = (Math.atan2(dy, dx) * 180) / Math.PI;
  // Whatever is nearer: level or upright.
  const off = angle - 90 * Math.round(angle / 90);
  post("adjust", { photos: [drag.item.id], turn: Number((drag.item.turn - off).toFixed(3)) });
};

canvas.addEventListener("focusin", (event) => {
  const id = Number(event.target.closest?.(".one")?.dataset.id ?? 0);
  if (id && id !== state.selected) select(id, false);
});
