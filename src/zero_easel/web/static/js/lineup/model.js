// The row as the server tells it, what is chosen and held, and where things lie. Nothing here draws.

import { about, apply, inverse, moved, then } from "../maps.js";

export const root = document.querySelector("#line-up");
export const REACH = 7;
export const TOP = 44;

export const state = {
  row: JSON.parse(root.dataset.row), mode: "row", selected: null, over: null, measures: false, edge: false, drag: null,
  z: 1, height: 0, width: 0, caught: null,
};

export const byId = (id) => state.row.items.find((item) => item.id === id);
export const chosen = () => byId(state.selected);
export const unit = () => Math.min(...state.row.canvas) / 100;
export const middle = (item) => (item.uncut ? item.canvas[0] / 2 : (item.area[0] + item.area[2]) / 2);
export const footOf = (item) => {
  const [ox, oy] = item.origin;
  const down = item.line ?? (item.area[1] + item.area[3]) / 2;
  return [middle(item) + ox, down + oy];
};

// The map with what a person decided, from the one of the rule alone.
export const matrixOf = (item) => {
  if (item.uncut) return item.matrix;
  const { scale, right, down } = item.adjustment;
  return then(then(item.rule, about(footOf(item), scale)), moved(right * unit(), down * unit()));
};

export const boxUnder = (item, matrix) => {
  const before = inverse(item.matrix);
  const [l, t, r, b] = item.box;
  // Between two maps of one photo that differ by scale and shift alone, a box stays a box.
  const between = then(before, matrix);
  return [...apply(between, [l, t]), ...apply(between, [r, b])];
};

export const standardBox = (item, box) => [box[0] - item.origin[0], box[1] - item.origin[1], box[2] - item.origin[0], box[3] - item.origin[1]];

// From px of an item's own canvas to px of the row.
export const toRow = (item) => [item.z, 0, 0, item.z, item.mid - item.z * (middle(item) + item.origin[0]), TOP - item.z * item.origin[1]];

export const rowBox = (item, box) => [...apply(toRow(item), [box[0], box[1]]), ...apply(toRow(item), [box[2], box[3]])];

export const lineOf = () => state.row.items.find((item) => item.line !== null)?.line ?? state.row.canvas[1];

export const called = (item) => `${item.code || item.name} ${item.view}`.trim();
export const reasons = (item) => item.notes.filter((note) => note.calls).map((note) => note.text);

export const neighbours = (item) => {
  const at = state.row.items.indexOf(item);
  return state.row.items.slice(Math.max(0, at - 2), at + 3).filter((one) => one !== item && !one.uncut && one.box);
};
