// Draws the row as SVG, with its texts, and the numbers of what is chosen.

import { apply, inverse, moved, then } from "../maps.js";
import { TOP, boxUnder, byId, called, chosen, lineOf, matrixOf, middle, reasons, root, rowBox, standardBox, state, toRow, unit } from "./model.js";

const SVG = "http://www.w3.org/2000/svg";
const scroller = document.querySelector("#line-up-scroll");
const holder = document.querySelector("#line-up-row");
const GAP = 34;
const LABEL = 62;

const make = (name, attributes = {}, parent = null) => {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  parent?.append(element);
  return element;
};

export const canvas = make("svg", { class: "line-up-svg", role: "list", "aria-label": "Items, side by side" });
const behind = make("g", { "aria-hidden": "true" }, canvas);
const people = make("g", {}, canvas);
const above = make("g", { "aria-hidden": "true" }, canvas);
const texts = document.createElement("div");
holder.append(canvas, texts);
export const drawn = new Map();

const settle = () => {
  const whole = state.mode === "canvases";
  state.height = whole ? Math.max(300, window.innerHeight - 446) : Math.max(220, Math.min(420, window.innerHeight - 552));
  state.z = state.height / state.row.canvas[1];
  let x = 26;
  for (const item of state.row.items) {
    const z = item.uncut && item.canvas[1] > state.row.canvas[1] ? state.height / item.canvas[1] : state.z;
    item.z = z;
    item.std = item.box ? standardBox(item, item.box) : [0, 0, ...item.canvas];
    const reach = whole || item.uncut || !item.box
      ? item.canvas[0] / 2
      : Math.max(middle(item) - item.std[0], item.std[2] - middle(item), 0);
    const half = Math.max(reach * z, 46);
    item.mid = x + half;
    item.half = half;
    x = item.mid + half + (whole ? 18 : GAP);
  }
  state.width = Math.max(x, scroller.clientWidth);
  canvas.setAttribute("width", state.width);
  canvas.setAttribute("height", TOP + state.height + 20);
  holder.style.width = `${state.width}px`;
  holder.style.height = `${TOP + state.height + 20 + LABEL}px`;
};

const drawGround = () => {
  behind.replaceChildren();
  const z = state.z;
  const line = TOP + lineOf() * z;
  const [left, right] = [0, state.width];
  if (state.mode === "row") {
    make("path", { class: "guide", d: `M${left} ${TOP}H${right}` }, behind);
    make("text", { class: "guide-text", x: 28, y: TOP - 5 }, behind).textContent = "edge of the canvas";
    make("path", { class: "guide-line", d: `M${left} ${TOP + state.height}H${right}` }, behind);
    const first = state.row.items.find((item) => !item.uncut);
    if (first) make("path", { class: "guide", d: `M${left} ${TOP + first.area[1] * z}H${right}` }, behind);
    if (first && first.line === null) make("path", { class: "guide", d: `M${left} ${TOP + ((first.area[1] + first.area[3]) / 2) * z}H${right}` }, behind);
  }
  const step = state.row.scale ? 10 * state.row.scale * z : 50 * z;
  const some = Math.max(1, Math.ceil(5 / step));
  const tick = step * some;
  const pattern = make("pattern", { id: "ruler", width: tick * 10, height: 14, patternUnits: "userSpaceOnUse", y: line }, make("defs", {}, behind));
  for (let at = 0; at < 10; at += 1)
    make("path", { d: `M${at * tick + 0.5} 0V${at === 0 ? 13 : at === 5 ? 9 : 5}`, class: at % 5 ? "tick" : "tick long" }, pattern);
  make("rect", { x: 0, y: line, width: right, height: 14, fill: "url(#ruler)" }, behind);
  make("path", { class: "saffron-line", d: `M${left} ${line}H${right}` }, behind);
  document.querySelector("#row-message").textContent = state.row.scale
    ? `line-up at true size, ${state.row.scale.toFixed(2)} px per mm; small ticks are ${10 * some} mm`
    : `${state.row.items.length} items at the size they will have; small ticks are ${50 * some} px of the canvas`;
};

const build = (item) => {
  const group = make("g", { class: "one", role: "listitem", tabindex: "0", "data-id": item.id }, people);
  const frame = make("g", {}, group);
  const ground = make("rect", { class: "canvas-ground" }, frame);
  const free = make("path", { class: "guide" }, frame);
  const line = make("path", { class: "saffron-line" }, frame);
  const other = make("image", { preserveAspectRatio: "none", class: "other" }, group);
  const picture = make("image", { preserveAspectRatio: "none" }, group);
  const hit = make("rect", { class: "hit" }, group);
  const mark = make("rect", { class: "stands-out" }, group);
  const ghost = make("rect", { class: "ghost" }, group);
  const text = document.createElement("div");
  text.className = "line-up-text";
  texts.append(text);
  const reason = document.createElement("p");
  reason.className = "line-up-reason";
  texts.append(reason);
  return { group, frame, ground, free, line, other, picture, hit, mark, ghost, text, reason };
};

// What is done to an item's light: the same matrix and curve, on linear light, one filter for each that there is.
const toned = (element, tone, curve) => {
  if (!tone) return void element.removeAttribute("filter");
  const id = `tone${[...tone, curve?.[32] ?? "", curve?.[96] ?? ""].join("_").replaceAll(/[^\w]/g, "-")}`;
  if (!document.getElementById(id)) {
    const filter = make("filter", { id, "color-interpolation-filters": "linearRGB", x: 0, y: 0, width: "100%", height: "100%" }, element.ownerSVGElement);
    const rows = [0, 3, 6].map((at) => `${tone.slice(at, at + 3).join(" ")} 0 0`);
    make("feColorMatrix", { values: `${rows.join(" ")} 0 0 0 1 0` }, filter);
    if (curve) {
      const transfer = make("feComponentTransfer", {}, filter);
      for (const part of ["feFuncR", "feFuncG", "feFuncB"]) make(part, { type: "table", tableValues: curve.join(" ") }, transfer);
    }
  }
  element.setAttribute("filter", `url(#${id})`);
};

const placeImage = (element, item, matrix) => {
  toned(element, item.tone, item.curve);
  const shown = Math.max(...item.crop.slice(2)) * Math.hypot(matrix[0], matrix[1]);
  const source = shown > 520 ? item.src.replace("/small.webp", "/large.webp") : item.src;
  if (element.getAttribute("href") !== source) element.setAttribute("href", source);
  const [x, y, width, height] = item.crop;
  for (const [key, value] of Object.entries({ x, y, width, height })) element.setAttribute(key, value);
  element.setAttribute("transform", `matrix(${matrix.join(" ")})`);
};

/** @type {(element: any, box: number[]) => void} */
const rect = (element, [l, t, r, b]) => {
  element.setAttribute("x", l);
  element.setAttribute("y", t);
  element.setAttribute("width", Math.max(0, r - l));
  element.setAttribute("height", Math.max(0, b - t));
};

export const draw = (item) => {
  let parts = drawn.get(item.id);
  if (!parts) drawn.set(item.id, (parts = build(item)));
  const box = item.box ? boxUnder(item, matrixOf(item)) : [0, 0, ...item.canvas];
  const seen = rowBox(item, item.uncut ? [0, 0, ...item.canvas] : box);
  const why = reasons(item);
  const mine = state.selected === item.id;
  drawFrame(parts, item);
  drawPicture(parts, item, mine);
  rect(parts.hit, seen);
  rect(parts.mark, [seen[0] - 5, seen[1] - 5, seen[2] + 5, seen[3] + 5]);
  parts.mark.style.display = why.length && !mine ? "" : "none";
  const shadowed = mine && item.moved && item.box && !item.uncut;
  parts.ghost.style.display = shadowed ? "" : "none";
  if (shadowed) rect(parts.ghost, rowBox(item, boxUnder(item, item.rule)));
  parts.group.classList.toggle("chosen", mine);
  parts.group.setAttribute("aria-label", label(item, why));
  drawTexts(parts, item, seen, why);
  if (mine) drawTools(item, box);
};

const isWhole = (item) => state.mode === "canvases" || Boolean(item.uncut);

// The canvas, its free area and the line on it, where whole canvases are shown.
const drawFrame = (parts, item) => {
  const whole = isWhole(item);
  parts.frame.toggleAttribute("hidden", !whole);
  parts.frame.style.display = whole ? "" : "none";
  if (!whole) return;
  const canvasBox = rowBox(item, [0, 0, ...item.canvas]);
  rect(parts.ground, canvasBox);
  parts.ground.setAttribute("fill", state.row.ground === "transparent" ? "#ffffff" : state.row.ground);
  const [ox, oy] = item.origin;
  const [l, t, r, b] = rowBox(item, [item.area[0] + ox, item.area[1] + oy, item.area[2] + ox, item.area[3] + oy]);
  parts.free.setAttribute("d", item.uncut ? "" : `M${l} ${t}H${r}V${b}H${l}Z`);
  parts.line.setAttribute("d", item.line === null || item.uncut ? "" : `M${canvasBox[0]} ${b}H${canvasBox[2]}`);
};

// The item, and over it the one that it is compared with.
const drawPicture = (parts, item, mine) => {
  const place = toRow(item);
  placeImage(parts.picture, item, then(matrixOf(item), place));
  clip(parts.picture, item);
  const over = mine && state.over ? byId(state.over) : null;
  parts.other.style.display = over ? "" : "none";
  parts.picture.classList.toggle("half", Boolean(over));
  if (!over) return;
  const between = moved(item.origin[0] - over.origin[0], item.origin[1] - over.origin[1]);
  placeImage(parts.other, over, then(then(matrixOf(over), between), place));
};

const drawTexts = (parts, item, seen, why) => {
  parts.text.replaceChildren(...captions(item));
  parts.text.style.left = `${Math.max(item.mid - item.half, Math.min(seen[0], item.mid + item.half - 60))}px`;
  parts.text.style.width = `${item.half * 2 + GAP - 8}px`;
  parts.text.style.top = `${TOP + state.height + 22}px`;
  parts.reason.textContent = why[0] ?? "";
  parts.reason.style.left = `${Math.max(2, Math.min(seen[0], state.width - 180))}px`;
  parts.reason.style.bottom = `${TOP + state.height + 20 + LABEL - seen[1] + 9}px`;
  parts.reason.hidden = !why.length;
};

// Only what lies on the canvas will be in the picture; in the row that shows as well.
const clip = (picture, item) => {
  const [w, h] = item.canvas;
  const back = inverse(matrixOf(item));
  const corners = [[0, 0], [w, 0], [w, h], [0, h]].map((corner) => apply(back, corner));
  const points = corners.map(([x, y]) => `${x - item.crop[0]}px ${y - item.crop[1]}px`).join(",");
  picture.style.clipPath = item.cut || isWhole(item) ? `polygon(${points})` : "";
};

const label = (item, why) => {
  const size = `${item.share} % of the frame`;
  return [called(item), size, item.moved ? "placed by hand" : "", ...why].filter(Boolean).join(", ");
};

const span = (className, text) => Object.assign(document.createElement("span"), { className, textContent: text });
const captions = (item) => {
  const listed = item.listed.filter(Boolean).join("×");
  const size = item.uncut ? `uncut, ${item.canvas[0]} × ${item.canvas[1]}` : state.row.scale && listed ? `${listed} mm` : `${Math.round(item.share)} %`;
  const lines = [span("mono", item.code || item.name), span("soft mono", size)];
  if (!root.dataset.view) lines[1].textContent += listed && state.row.scale ? "" : ` ${item.view}`;
  if (item.moved || item.adjustment.backdrop) lines.push(span("by-hand", "by hand"));
  return lines;
};

const drawTools = (item, box) => {
  above.replaceChildren();
  const [l, t, r, b] = rowBox(item, box);
  if (!item.uncut) {
    make("rect", { class: "held", x: l, y: t, width: r - l, height: b - t }, above);
    for (const [x, y, corner] of [[l, t, "lt"], [r, t, "rt"], [r, b, "rb"], [l, b, "lb"]])
      make("circle", { class: "corner", cx: x, cy: y, r: 5.5, "data-corner": corner }, above);
  } else {
    const [x0, y0, x1, y1] = rowBox(item, [0, 0, ...item.canvas]);
    make("rect", { class: "held", x: x0, y: y0, width: x1 - x0, height: y1 - y0 }, above);
  }
  if (state.mode === "canvases" || state.drag) {
    const [x] = apply(toRow(item), [middle(item) + item.origin[0], 0]);
    make("path", { class: "guide", d: `M${x} ${TOP}V${TOP + state.height}` }, above);
  }
  for (const side of ["across", "down"]) {
    const caught = state.caught?.[side];
    if (!caught) continue;
    const at = apply(toRow(item), side === "across" ? [caught.place.at + item.origin[0], 0] : [0, caught.place.at + item.origin[1]]);
    const d = side === "across" ? `M${at[0]} ${TOP}V${TOP + state.height}` : `M${l - 120} ${at[1]}H${r + 120}`;
    make("path", { class: "caught", d }, above);
  }
  if (state.measures && item.measures) drawMeasures(item);
  if (state.drag?.edge) make("path", { class: "edge", d: `M${state.drag.from.join(" ")}L${state.drag.to.join(" ")}` }, above);
};

const drawMeasures = (item) => {
  const m = item.measures;
  const at = (point) => apply(then(matrixOf(item), toRow(item)), point);
  const [l, t, r, b] = m.bounds;
  const outline = [[l, t], [r, t], [r, b], [l, b]].map(at);
  make("path", { class: "measure", d: `M${outline.map((p) => p.join(" ")).join("L")}Z` }, above);
  const lean = ((m.axisAngle - 90) * Math.PI) / 180;
  const reach = Math.hypot(r - l, b - t) / 2;
  const ends = [-1, 1].map((side) => at([m.axis[0] + side * reach * Math.cos(lean), m.axis[1] + side * reach * Math.sin(lean)]));
  make("path", { class: "measure axis", d: `M${ends[0].join(" ")}L${ends[1].join(" ")}` }, above);
  const [x, y] = at(m.centroid);
  make("path", { class: "measure", d: `M${x - 7} ${y}H${x + 7}M${x} ${y - 7}V${y + 7}` }, above);
  const feet = m.foot.map(at);
  make("path", { class: "measure foot", d: `M${feet[0].join(" ")}L${feet[1].join(" ")}` }, above);
  for (const [cx, cy] of feet) make("circle", { class: "measure", cx, cy, r: 3 }, above);
};

// Only what is near the window is there at all: a row may be hundreds of items long.
export const drawVisible = () => {
  const from = scroller.scrollLeft - 500;
  const to = scroller.scrollLeft + scroller.clientWidth + 500;
  for (const item of state.row.items) {
    const near = item.mid + item.half > from && item.mid - item.half < to;
    if (near || item.id === state.selected) draw(item);
    else remove(item.id);
  }
};

const remove = (id) => {
  const parts = drawn.get(id);
  if (!parts) return;
  parts.group.remove();
  parts.text.remove();
  parts.reason.remove();
  drawn.delete(id);
};

export const drawAll = () => {
  document.querySelector("#line-up-empty").hidden = state.row.items.length > 0;
  scroller.hidden = !state.row.items.length;
  for (const id of [...drawn.keys()]) if (!byId(id)) remove(id);
  if (!chosen()) state.selected = state.over = null;
  above.replaceChildren();
  settle();
  // In the order of the row, so that the tabulator goes along it.
  drawGround();
  drawVisible();
  for (const item of state.row.items) if (drawn.has(item.id)) people.append(drawn.get(item.id).group);
  sayNumbers();
};

export const number = (id) => document.querySelector(`#hand-${id}`);
const shownNumber = (value, digits) => String(Number(value.toFixed(digits)));
const setField = (id, value) => {
  if (number(id) !== document.activeElement) number(id).value = value;
};

export const sayNumbers = () => {
  const item = chosen();
  const line = document.querySelector("#in-hand");
  document.querySelector("#hand-tools").hidden = !item;
  if (!item) {
    line.textContent = nothingChosen();
    return;
  }
  fillFields(item);
  line.replaceChildren(span("mono", called(item)), document.createTextNode(`: ${facts(item).filter(Boolean).join("; ")}`));
  const others = number("over");
  if (others.options.length !== state.row.items.length + 1 || others.dataset.row !== String(state.row.items[0]?.id)) {
    others.replaceChildren(new Option("nothing", ""), ...state.row.items.map((one) => new Option(called(one), one.id)));
    others.dataset.row = String(state.row.items[0]?.id);
  }
  others.value = state.over ?? "";
};

const nothingChosen = () => {
  const out = state.row.items.filter((one) => reasons(one).length).length;
  const { missing } = state.row;
  const waiting = missing ? ` ${missing} ${missing === 1 ? "photo has" : "photos have"} no cutout yet.` : "";
  const standing = out ? `${out} ${out === 1 ? "stands" : "stand"} out. ` : "";
  return `${standing}Choose an item: drag it, drag a corner to scale it, or nudge it with the arrow keys.${waiting}`;
};

const fillFields = (item) => {
  setField("right", shownNumber(item.adjustment.right * unit(), 1));
  setField("down", shownNumber(item.adjustment.down * unit(), 1));
  setField("scale", shownNumber(item.adjustment.scale * 100, 1));
  setField("turn", shownNumber(item.turn, 2));
  setField("backdrop", item.adjustment.backdrop);
  for (const id of ["right", "down", "scale", "turn"]) number(id).disabled = Boolean(item.uncut);
  document.querySelector("#hand-more").hidden = !(item.moved || item.adjustment.keep || item.adjustment.turn !== null);
  const scope = [root.dataset.category, root.dataset.view].filter(Boolean).join(" ") || "all";
  document.querySelector("#hand-rule").textContent = `Make it the rule for ${scope}`;
  document.querySelector("#hand-same").textContent = `Same for all ${item.view || "other"} views`;
  document.querySelector("#hand-edge").setAttribute("aria-pressed", String(state.edge));
};

const facts = (item) => {
  const caught = [state.caught?.across, state.caught?.down].filter(Boolean).map((one) => one.place.says);
  const covers = item.mm ? `covers ${item.mm[0]} × ${item.mm[1]} mm, ${item.ppm} px of the photo per mm` : "";
  const notes = item.notes.map((note) => note.text);
  return [`${Math.round(item.share)} % of the frame`, covers, ...(state.measures ? measured(item) : []), ...notes, ...caught];
};

const measured = (item) => {
  const m = item.measures;
  if (!m) return [];
  const foot = m.footAngle === null ? "a foot that is not flat" : `a flat foot at ${m.footAngle}°`;
  return [`leans ${m.lean}° by an axis of which ${m.mirrored} % is mirrored`, foot];
};

export const select = (id, focus = true) => {
  if (state.selected !== id) {
    state.over = null;
    state.caught = null;
    state.edge = false;
  }
  const before = state.selected;
  state.selected = id;
  above.replaceChildren();
  if (before && byId(before) && drawn.has(before)) draw(byId(before));
  const item = chosen();
  if (item) {
    const [l, r] = [item.mid - item.half, item.mid + item.half];
    if (state.mode === "canvases") scroller.scrollLeft = item.mid - scroller.clientWidth / 2;
    else if (l < scroller.scrollLeft + 20) scroller.scrollLeft = l - 60;
    else if (r > scroller.scrollLeft + scroller.clientWidth - 20) scroller.scrollLeft = r - scroller.clientWidth + 60;
    draw(item);
    if (focus) drawn.get(id).group.focus({ preventScroll: true });
  }
  sayNumbers();
};

let scrolled = 0;
scroller.addEventListener("scroll", () => {
  scrolled ||= requestAnimationFrame(() => {
    scrolled = 0;
    drawVisible();
  });
});
new ResizeObserver(() => drawAll()).observe(scroller);
