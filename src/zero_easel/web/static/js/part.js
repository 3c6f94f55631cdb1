// The part of a photo that is kept where a size is filled: dragged and zoomed on the photo itself, in the photo's own px.

import { shape } from "./svg.js";

const dialog = document.querySelector("#part");
const picture = document.querySelector("#part-picture");
const zoomField = document.querySelector("#part-zoom");
const alone = document.querySelector("#part-alone");
const MOST = 20;
const NEAR = 0.02; // of the photo's shorter side, within which the part snaps

let photo = null;
let x = 0;
let y = 0;
let zoom = 1;
let caught = { x: null, y: null };

// Width and height of the part.
const size = () => {
  const scale = Math.max(photo.w / photo.width, photo.h / photo.height) * zoom;
  return [photo.w / scale, photo.h / scale];
};

const within = (value, side, whole) => Math.min(whole - side / 2, Math.max(side / 2, value));

// Where the part catches along one axis: its middle on middle and thirds of the item found and of the photo, its edges on
// the item's. Its edges stop at the photo's. side: length of the part. item: [from, to] of the item, if one is found.
const snapped = (value, side, whole, item) => {
  const reach = NEAR * Math.min(photo.width, photo.height);
  const marks = ([from, to]) => [(from + to) / 2, from + (to - from) / 3, from + (2 * (to - from)) / 3];
  const lines = [...(item ? marks(item) : []), ...marks([0, whole])].map((line) => [line, line]);
  if (item) lines.push([item[0] + side / 2, item[0]], [item[1] - side / 2, item[1]]);
  const found = lines.find(([middle]) => Math.abs(middle - value) < reach);
  return found ?? [value, null];
};

const draw = () => {
  const [w, h] = size();
  x = within(x, w, photo.width);
  y = within(y, h, photo.height);
  const [left, top] = [x - w / 2, y - h / 2];
  const outside = `M0 0H${photo.width}V${photo.height}H0ZM${left} ${top}V${top + h}H${left + w}V${top}Z`;
  const [l, t, r, b] = photo.item ?? [];
  const item = photo.item ? [shape("rect", { x: l, y: t, width: r - l, height: b - t }, "part-item")] : [];
  const parts = [...item, shape("path", { d: outside }, "part-outside"), shape("rect", { x: left, y: top, width: w, height: h }, "part-frame")];
  if (caught.x !== null) parts.push(shape("path", { d: `M${caught.x} 0V${photo.height}` }, "part-line"));
  if (caught.y !== null) parts.push(shape("path", { d: `M0 ${caught.y}H${photo.width}` }, "part-line"));
  picture.replaceChildren(picture.firstChild, ...parts);
  if (document.activeElement !== zoomField) zoomField.value = String(Number(zoom.toFixed(2)));
};

const zoomTo = (to) => {
  zoom = Math.min(MOST, Math.max(1, to || 1));
  draw();
};

const open = (data) => {
  const [id, name, digest, width, height, w, h, scale, e, f] = JSON.parse(data);
  photo = { id, width, height, w, h, item: null };
  zoom = Math.max(1, scale / Math.max(w / width, h / height));
  x = (w / 2 - e) / scale;
  y = (h / 2 - f) / scale;
  caught = { x: null, y: null };
  picture.setAttribute("viewBox", `0 0 ${width} ${height}`);
  const image = shape("image", { href: `/media/large/${digest}.jpg`, width, height, preserveAspectRatio: "none" });
  picture.replaceChildren(image);
  document.querySelector("#part-title").textContent = `The part of ${name} that is kept`;
  document.querySelector("#part-ratio").textContent = `${w} × ${h}`;
  alone.checked = false;
  draw();
  dialog.showModal();
  picture.focus();
  find(photo);
};

// Where the item is takes a moment to find.
const find = async (of) => {
  const answer = await fetch(`${location.pathname}/item/${of.id}`).catch(() => null);
  of.item = answer?.ok ? (await answer.json()).box : null;
  if (of === photo && dialog.open) draw();
};

document.addEventListener("click", (event) => {
  const opener = event.target.closest("[data-part]");
  if (opener) open(opener.dataset.part);
});

let from = null;
picture.addEventListener("pointerdown", (event) => {
  picture.setPointerCapture(event.pointerId);
  from = { px: event.clientX, py: event.clientY, x, y };
});
picture.addEventListener("pointermove", (event) => {
  if (!from) return;
  const box = picture.getBoundingClientRect();
  const by = Math.max(photo.width / box.width, photo.height / box.height);
  const [w, h] = size();
  const [left, top, right, bottom] = photo.item ?? [];
  [x, caught.x] = snapped(from.x + (event.clientX - from.px) * by, w, photo.width, photo.item && [left, right]);
  [y, caught.y] = snapped(from.y + (event.clientY - from.py) * by, h, photo.height, photo.item && [top, bottom]);
  draw();
});
for (const name of ["pointerup", "pointercancel"])
  picture.addEventListener(name, () => {
    from = null;
    caught = { x: null, y: null };
    draw();
  });
picture.addEventListener("wheel", (event) => {
  event.preventDefault();
  zoomTo(zoom * Math.exp(-event.deltaY / 600));
}, { passive: false });
picture.addEventListener("keydown", (event) => {
  const step = (event.shiftKey ? 0.1 : 0.01) * Math.min(photo.width, photo.height);
  const moves = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
  if (moves[event.key]) {
    x += moves[event.key][0];
    y += moves[event.key][1];
    draw();
  } else if (event.key === "+" || event.key === "-") zoomTo(zoom * (event.key === "+" ? 1.1 : 1 / 1.1));
  else if (event.key === "Enter") keep();
  else return;
  event.preventDefault();
});
zoomField.addEventListener("input", () => zoomTo(Number(zoomField.value.replace(",", "."))));

const keep = async () => {
  const ratio = alone.checked ? photo.w / photo.h : null;
  const body = JSON.stringify({ photo: photo.id, x, y, zoom, ratio });
  const answer = await fetch(`${location.pathname}/part`, { method: "POST", body, headers: { "Content-Type": "application/json" } }).catch(() => null);
  if (!answer?.ok) {
    document.querySelector("#part-title").textContent = "Not kept; is the application still running?";
    return;
  }
  dialog.close();
  document.dispatchEvent(new CustomEvent("part-kept"));
};
document.querySelector("#part-keep").addEventListener("click", keep);
document.querySelector("#part-close").addEventListener("click", () => dialog.close());
