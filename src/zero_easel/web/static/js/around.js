// The canvas around each picture, by eye: an edge of the canvas is dragged, or the picture on it, and the rule is written.

import { shape } from "./svg.js";

const dialog = document.querySelector("#around");
const picture = document.querySelector("#around-picture");
const told = document.querySelector("#around-told");
const SIDES = ["top", "right", "bottom", "left"];
const ROOM = 0.6; // of the picture's sides, seen around it
const field = () => document.querySelector('[data-field="canvas.padding"]');

let sides = [0, 0, 0, 0]; // per cent, as CSS orders them
let frame = [4, 3];
let href = "";

// "5%", "0 15% 0 0": per cents as they are; lengths in other units begin anew at nothing.
const read = (text) => {
  const parts = text.trim().split(/\s+(?=[+-]?\d)/).map((part) => (part.includes("%") || /^[+-]?0/.test(part) ? Number.parseFloat(part) : 0));
  const [top, right = top, bottom = top, left = right] = parts;
  return [top, right, bottom, left];
};
const write = () => sides.map((side) => `${Number(side.toFixed(1))}%`).join(" ");

const canvas = () => {
  const [w, h] = frame;
  const [top, right, bottom, left] = sides.map((side, at) => (side / 100) * (at % 2 ? w : h));
  return { x: -left, y: -top, width: w + left + right, height: h + top + bottom };
};

const draw = () => {
  const box = canvas();
  const [w, h] = frame;
  picture.setAttribute("viewBox", `${-ROOM * w} ${-ROOM * h} ${w * (1 + 2 * ROOM)} ${h * (1 + 2 * ROOM)}`);
  const edges = SIDES.map((_, at) => {
    const across = at % 2;
    const d = across
      ? `M${at === 1 ? box.x + box.width : box.x} ${box.y}v${box.height}`
      : `M${box.x} ${at ? box.y + box.height : box.y}h${box.width}`;
    return shape("path", { d, "data-side": at }, `around-edge ${across ? "level" : ""}`);
  });
  picture.replaceChildren(
    shape("rect", box, "around-canvas"),
    shape("image", { href, width: w, height: h, preserveAspectRatio: "none" }, "around-image"),
    shape("rect", box, "around-rim"),
    ...edges,
  );
  told.textContent = write();
};

document.addEventListener("click", (event) => {
  if (!event.target.closest("[data-around]")) return;
  const row = document.querySelector("tr.row[data-large]");
  const image = row?.querySelector(".before-pic img");
  if (!image) return;
  [href, frame] = [row.dataset.large, [Number(image.getAttribute("width")), Number(image.getAttribute("height"))]];
  sides = read(field().value);
  draw();
  dialog.showModal();
  picture.focus();
});

// A side may take half of the picture, or add as much as it is; one that goes must leave something.
const bounded = (value) => Math.min(100 * ROOM, Math.max(-45, value));

let from = null;
picture.addEventListener("pointerdown", (event) => {
  picture.setPointerCapture(event.pointerId);
  from = { x: event.clientX, y: event.clientY, sides: [...sides], side: event.target.dataset?.side };
});
picture.addEventListener("pointermove", (event) => {
  if (!from) return;
  const box = picture.getBoundingClientRect();
  const by = Math.max((frame[0] * (1 + 2 * ROOM)) / box.width, (frame[1] * (1 + 2 * ROOM)) / box.height);
  const across = (((event.clientX - from.x) * by) / frame[0]) * 100;
  const down = (((event.clientY - from.y) * by) / frame[1]) * 100;
  sides = [...from.sides];
  if (from.side === undefined) {
    // The picture is dragged: what one side gives the other takes.
    for (const [at, change] of [[0, down], [2, -down], [3, across], [1, -across]]) sides[at] = bounded(sides[at] + change);
  } else {
    const at = Number(from.side);
    sides[at] = bounded(sides[at] + [-down, across, down, -across][at]);
    if (Math.abs(sides[at]) < 1) sides[at] = 0;
  }
  draw();
});
for (const name of ["pointerup", "pointercancel"]) picture.addEventListener(name, () => (from = null));
picture.addEventListener("keydown", (event) => {
  const at = ["ArrowUp", "ArrowRight", "ArrowDown", "ArrowLeft"].indexOf(event.key);
  if (at < 0) return;
  event.preventDefault();
  sides[at] = bounded(sides[at] + (event.shiftKey ? -1 : 1));
  draw();
});

document.querySelector("#around-keep").addEventListener("click", () => {
  field().value = write();
  field().dispatchEvent(new Event("change", { bubbles: true }));
  dialog.close();
});
document.querySelector("#around-close").addEventListener("click", () => dialog.close());
