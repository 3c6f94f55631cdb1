// The line-up: all items of a shoot side by side on the line at their final scale. Rules and places are the server's;
// while something is dragged it is drawn here, and kept when it is let go.

import { about, apply, inverse, moved, then } from "./maps.js";
import { hearSentences, tellSentences } from "./sentences.js";
import { snapMove, snapScale } from "./snap.js";

const SVG = "http://www.w3.org/2000/svg";
const root = document.querySelector("#line-up");
const scroller = document.querySelector("#line-up-scroll");
const holder = document.querySelector("#line-up-row");
const GAP = 34;
const TOP = 44;
const LABEL = 62;
const REACH = 7;

const make = (name, attributes = {}, parent = null) => {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  parent?.append(element);
  return element;
};

const canvas = make("svg", { class: "line-up-svg", role: "list", "aria-label": "Items, side by side" });
const behind = make("g", { "aria-hidden": "true" }, canvas);
const people = make("g", {}, canvas);
const above = make("g", { "aria-hidden": "true" }, canvas);
const texts = document.createElement("div");
holder.append(canvas, texts);

let row = JSON.parse(root.dataset.row);
const state = { mode: "row", selected: null, over: null, measures: false, edge: false, drag: null, z: 1, height: 0, caught: null };
const drawn = new Map();

const byId = (id) => row.items.find((item) => item.id === id);
const chosen = () => byId(state.selected);
const unit = () => Math.min(...row.canvas) / 100;
const middle = (item) => (item.uncut ? item.canvas[0] / 2 : (item.area[0] + item.area[2]) / 2);
const footOf = (item) => {
  const [ox, oy] = item.origin;
  const down = item.line ?? (item.area[1] + item.area[3]) / 2;
  return [middle(item) + ox, down + oy];
};

// The map with what a person decided, from the one of the rule alone.
const matrixOf = (item) => {
  if (item.uncut) return item.matrix;
  const { scale, right, down } = item.adjustment;
  return then(then(item.rule, about(footOf(item), scale)), moved(right * unit(), down * unit()));
};

const boxUnder = (item, matrix) => {
  const before = inverse(item.matrix);
  const [l, t, r, b] = item.box;
  // Between two maps of one photo that differ by scale and shift alone, a box stays a box.
  const between = then(before, matrix);
  return [...apply(between, [l, t]), ...apply(between, [r, b])];
};

const standardBox = (item, box) => [box[0] - item.origin[0], box[1] - item.origin[1], box[2] - item.origin[0], box[3] - item.origin[1]];

const settle = () => {
  const whole = state.mode === "canvases";
  state.height = whole ? Math.max(300, window.innerHeight - 446) : Math.max(220, Math.min(420, window.innerHeight - 552));
  state.z = state.height / row.canvas[1];
  let x = 26;
  for (const item of row.items) {
    const z = item.uncut && item.canvas[1] > row.canvas[1] ? state.height / item.canvas[1] : state.z;
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

// From px of an item's own canvas to px of the row.
const toRow = (item) => [item.z, 0, 0, item.z, item.mid - item.z * (middle(item) + item.origin[0]), TOP - item.z * item.origin[1]];

const lineOf = () => row.items.find((item) => item.line !== null)?.line ?? row.canvas[1];

const drawGround = () => {
  behind.replaceChildren();
  const z = state.z;
  const line = TOP + lineOf() * z;
  const [left, right] = [0, state.width];
  if (state.mode === "row") {
    make("path", { class: "guide", d: `M${left} ${TOP}H${right}` }, behind);
    make("text", { class: "guide-text", x: 28, y: TOP - 5 }, behind).textContent = "edge of the canvas";
    make("path", { class: "guide-line", d: `M${left} ${TOP + state.height}H${right}` }, behind);
    const first = row.items.find((item) => !item.uncut);
    if (first) make("path", { class: "guide", d: `M${left} ${TOP + first.area[1] * z}H${right}` }, behind);
    if (first && first.line === null) make("path", { class: "guide", d: `M${left} ${TOP + ((first.area[1] + first.area[3]) / 2) * z}H${right}` }, behind);
  }
  const step = row.scale ? 10 * row.scale * z : 50 * z;
  const some = Math.max(1, Math.ceil(5 / step));
  const tick = step * some;
  const pattern = make("pattern", { id: "ruler", width: tick * 10, height: 14, patternUnits: "userSpaceOnUse", y: line }, make("defs", {}, behind));
  for (let at = 0; at < 10; at += 1)
    make("path", { d: `M${at * tick + 0.5} 0V${at === 0 ? 13 : at === 5 ? 9 : 5}`, class: at % 5 ? "tick" : "tick long" }, pattern);
  make("rect", { x: 0, y: line, width: right, height: 14, fill: "url(#ruler)" }, behind);
  make("path", { class: "saffron-line", d: `M${left} ${line}H${right}` }, behind);
  document.querySelector("#row-message").textContent = row.scale
    ? `line-up at true size, ${row.scale.toFixed(2)} px per mm; small ticks are ${10 * some} mm`
    : `${row.items.length} items at the size they will have; small ticks are ${50 * some} px of the canvas`;
};

const called = (item) => `${item.code || item.name} ${item.view}`.trim();
const reasons = (item) => item.notes.filter((note) => note.calls).map((note) => note.text);

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

const placeImage = (element, item, matrix) => {
  const shown = Math.max(...item.crop.slice(2)) * Math.hypot(matrix[0], matrix[1]);
  const source = shown > 520 ? item.src.replace("/small.webp", "/large.webp") : item.src;
  if (element.getAttribute("href") !== source) element.setAttribute("href", source);
  const [x, y, width, height] = item.crop;
  for (const [key, value] of Object.entries({ x, y, width, height })) element.setAttribute(key, value);
  element.setAttribute("transform", `matrix(${matrix.join(" ")})`);
};

const rect = (element, [l, t, r, b]) => {
  element.setAttribute("x", l);
  element.setAttribute("y", t);
  element.setAttribute("width", Math.max(0, r - l));
  element.setAttribute("height", Math.max(0, b - t));
};

const rowBox = (item, box) => [...apply(toRow(item), [box[0], box[1]]), ...apply(toRow(item), [box[2], box[3]])];

const draw = (item) => {
  let parts = drawn.get(item.id);
  if (!parts) drawn.set(item.id, (parts = build(item)));
  const matrix = matrixOf(item);
  const box = item.box ? boxUnder(item, matrix) : [0, 0, ...item.canvas];
  const place = toRow(item);
  const whole = state.mode === "canvases" || item.uncut;
  const mine = state.selected === item.id;
  parts.frame.toggleAttribute("hidden", !whole);
  parts.frame.style.display = whole ? "" : "none";
  if (whole) {
    rect(parts.ground, rowBox(item, [0, 0, ...item.canvas]));
    parts.ground.setAttribute("fill", row.ground === "transparent" ? "#ffffff" : row.ground);
    const [l, t, r, b] = rowBox(item, [item.area[0] + item.origin[0], item.area[1] + item.origin[1], item.area[2] + item.origin[0], item.area[3] + item.origin[1]]);
    parts.free.setAttribute("d", item.uncut ? "" : `M${l} ${t}H${r}V${b}H${l}Z`);
    const [x0, , x1] = rowBox(item, [0, 0, ...item.canvas]);
    parts.line.setAttribute("d", item.line === null || item.uncut ? "" : `M${x0} ${b}H${x1}`);
  }
  placeImage(parts.picture, item, then(matrix, place));
  clip(parts.picture, item, whole);
  const over = mine && state.over ? byId(state.over) : null;
  parts.other.style.display = over ? "" : "none";
  parts.picture.classList.toggle("half", Boolean(over));
  if (over) placeImage(parts.other, over, then(then(matrixOf(over), moved(item.origin[0] - over.origin[0], item.origin[1] - over.origin[1])), place));
  const seen = rowBox(item, item.uncut ? [0, 0, ...item.canvas] : box);
  rect(parts.hit, seen);
  const why = reasons(item);
  rect(parts.mark, [seen[0] - 5, seen[1] - 5, seen[2] + 5, seen[3] + 5]);
  parts.mark.style.display = why.length && !mine ? "" : "none";
  const shadowed = mine && item.moved && item.box && !item.uncut;
  parts.ghost.style.display = shadowed ? "" : "none";
  if (shadowed) rect(parts.ghost, rowBox(item, boxUnder(item, item.rule)));
  parts.group.classList.toggle("chosen", mine);
  parts.group.setAttribute("aria-label", label(item, why));
  parts.text.replaceChildren(...captions(item));
  parts.text.style.left = `${Math.max(item.mid - item.half, Math.min(seen[0], item.mid + item.half - 60))}px`;
  parts.text.style.width = `${item.half * 2 + GAP - 8}px`;
  parts.text.style.top = `${TOP + state.height + 22}px`;
  parts.reason.textContent = why[0] ?? "";
  parts.reason.style.left = `${Math.max(2, Math.min(seen[0], state.width - 180))}px`;
  parts.reason.style.bottom = `${TOP + state.height + 20 + LABEL - seen[1] + 9}px`;
  parts.reason.hidden = !why.length;
  if (mine) drawTools(item, box);
};

const clip = (picture, item, whole) => {
  const [w, h] = item.canvas;
  const back = inverse(matrixOf(item));
  // Only what lies on the canvas will be in the picture; in the row that shows as well.
  const corners = [[0, 0], [w, 0], [w, h], [0, h]].map((corner) => apply(back, corner));
  const cut = item.uncut || item.notes.some((note) => note.text.includes("cut off"));
  picture.style.clipPath = cut || whole ? `polygon(${corners.map(([x, y]) => `${x - item.crop[0]}px ${y - item.crop[1]}px`).join(",")})` : "";
};

const label = (item, why) => {
  const size = `${item.share} % of the frame`;
  return [called(item), size, item.moved ? "placed by hand" : "", ...why].filter(Boolean).join(", ");
};

const span = (className, text) => Object.assign(document.createElement("span"), { className, textContent: text });
const captions = (item) => {
  const listed = item.listed.filter(Boolean).join("×");
  const size = item.uncut ? `uncut, ${item.canvas[0]} × ${item.canvas[1]}` : row.scale && listed ? `${listed} mm` : `${Math.round(item.share)} %`;
  const lines = [span("mono", item.code || item.name), span("soft mono", size)];
  if (!root.dataset.view) lines[1].textContent += listed && row.scale ? "" : ` ${item.view}`;
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
const drawVisible = () => {
  const from = scroller.scrollLeft - 500;
  const to = scroller.scrollLeft + scroller.clientWidth + 500;
  for (const item of row.items) {
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

const drawAll = () => {
  document.querySelector("#line-up-empty").hidden = row.items.length > 0;
  scroller.hidden = !row.items.length;
  for (const id of [...drawn.keys()]) if (!byId(id)) remove(id);
  if (!chosen()) state.selected = state.over = null;
  above.replaceChildren();
  settle();
  // In the order of the row, so that the tabulator goes along it.
  drawGround();
  drawVisible();
  for (const item of row.items) if (drawn.has(item.id)) people.append(drawn.get(item.id).group);
  sayNumbers();
};

const number = (id) => document.querySelector(`#hand-${id}`);
const shownNumber = (value, digits) => String(Number(value.toFixed(digits)));
const setField = (id, value) => {
  if (number(id) !== document.activeElement) number(id).value = value;
};

const sayNumbers = () => {
  const item = chosen();
  document.querySelector("#hand-tools").hidden = !item;
  const line = document.querySelector("#in-hand");
  const out = row.items.filter((one) => reasons(one).length).length;
  if (!item) {
    const waiting = row.missing ? ` ${row.missing} ${row.missing === 1 ? "photo has" : "photos have"} no cutout yet.` : "";
    line.textContent = `${out ? `${out} ${out === 1 ? "stands" : "stand"} out. ` : ""}Choose an item: drag it, drag a corner to scale it, or nudge it with the arrow keys.${waiting}`;
    return;
  }
  setField("right", shownNumber(item.adjustment.right * unit(), 1));
  setField("down", shownNumber(item.adjustment.down * unit(), 1));
  setField("scale", shownNumber(item.adjustment.scale * 100, 1));
  setField("turn", shownNumber(item.turn, 2));
  setField("backdrop", item.adjustment.backdrop);
  for (const id of ["right", "down", "scale", "turn"]) number(id).disabled = Boolean(item.uncut);
  document.querySelector("#hand-more").hidden = !(item.moved || item.adjustment.keep || item.adjustment.turn !== null);
  document.querySelector("#hand-rule").textContent = `Make it the rule for ${[root.dataset.category, root.dataset.view].filter(Boolean).join(" ") || "all"}`;
  document.querySelector("#hand-same").textContent = `Same for all ${item.view || "other"} views`;
  document.querySelector("#hand-edge").setAttribute("aria-pressed", String(state.edge));
  const caught = [state.caught?.across, state.caught?.down].filter(Boolean).map((one) => one.place.says);
  const facts = [`${Math.round(item.share)} % of the frame`, item.mm ? `covers ${item.mm[0]} × ${item.mm[1]} mm, ${item.ppm} px of the photo per mm` : "", ...(state.measures ? measured(item) : []), ...item.notes.map((note) => note.text), ...caught];
  line.replaceChildren(span("mono", called(item)), document.createTextNode(`: ${facts.filter(Boolean).join("; ")}`));
  const select = number("over");
  if (select.options.length !== row.items.length + 1 || select.dataset.row !== String(row.items[0]?.id)) {
    select.replaceChildren(new Option("nothing", ""), ...row.items.map((one) => new Option(called(one), one.id)));
    select.dataset.row = String(row.items[0]?.id);
  }
  select.value = state.over ?? "";
};

const measured = (item) => {
  const m = item.measures;
  if (!m) return [];
  const foot = m.footAngle === null ? "a foot that is not flat" : `a flat foot at ${m.footAngle}°`;
  return [`leans ${m.lean}° by an axis of which ${m.mirrored} % is mirrored`, foot];
};

const select = (id, focus = true) => {
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

// Everything goes to the server in the order in which it was done.
const query = `?category=${encodeURIComponent(root.dataset.category)}&view=${encodeURIComponent(root.dataset.view)}`;
let queue = Promise.resolve();
let pending = 0;
const send = (path, options) => {
  keepNudge();
  pending += 1;
  queue = queue.then(async () => {
    let answer;
    try {
      const response = await fetch(`/shoots/${root.dataset.shoot}/${path}`, { method: "POST", headers: { "X-Requested-With": "zero-easel" }, ...options });
      if (!response.ok) throw new Error(String(response.status));
      answer = await response.json();
    } catch {
      say("Not kept: is the application still running?", true);
      return;
    } finally {
      pending -= 1;
    }
    take(answer);
  });
  return queue;
};
const post = (path, data) => send(`place/${path}${query}`, { body: JSON.stringify(data ?? {}), headers: { "Content-Type": "application/json" } });

const say = (text, fault = false) => {
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
    const before = new Map(row.items.map((item) => [item.id, item]));
    const known = answer.row.items.every((item) => before.has(item.id));
    if (!known) return window.location.reload();
    row = { ...answer.row, items: answer.row.items.map((item) => ({ ...before.get(item.id), ...item })) };
    const held = document.activeElement?.closest?.(".one")?.dataset.id;
    drawAll();
    if (held && drawn.has(Number(held))) drawn.get(Number(held)).group.focus({ preventScroll: true });
  }
  if (answer.values) showValues(answer);
  root.dataset.answers = String(Number(root.dataset.answers ?? 0) + 1);
  if (answer.field !== undefined) window.htmx.ajax("GET", `/shoots/${root.dataset.shoot}/line/place`, { target: "#zero-line", swap: "outerHTML" });
};

const keep = (item) => {
  // Without the last digits of a sum of steps: back on the line is exactly back.
  const [scale, right, down] = [item.adjustment.scale, item.adjustment.right, item.adjustment.down].map((v) => Number(v.toFixed(6)) || 0);
  item.moved = true;
  return post("adjust", { photos: [item.id], scale, right, down });
};

const pointer = (event) => {
  const bounds = canvas.getBoundingClientRect();
  return [event.clientX - bounds.left, event.clientY - bounds.top];
};

const neighbours = (item) => {
  const at = row.items.indexOf(item);
  return row.items.slice(Math.max(0, at - 2), at + 3).filter((one) => one !== item && !one.uncut && one.box);
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

const moveBy = (item, adjustment, box, dx, dy, reach) => {
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

let scrolled = 0;
scroller.addEventListener("scroll", () => {
  scrolled ||= requestAnimationFrame(() => {
    scrolled = 0;
    drawVisible();
  });
});
new ResizeObserver(() => drawAll()).observe(scroller);

// Keys.
const nudge = (dx, dy, event) => {
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

// Steps of keys are kept together, a moment after the last one. Until then no answer to something earlier may redraw
// the row as it was, and whatever is done next goes after them.
let nudged = null;
const later = (item) => {
  if (nudged) clearTimeout(nudged.timer);
  else pending += 1;
  nudged = { item, timer: setTimeout(keepNudge, 250) };
};
const forgetNudge = () => {
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
  const others = row.items.filter((one) => one !== item);
  if (!item || !others.length) return false;
  const at = others.findIndex((one) => one.id === state.over);
  const before = others[Math.max(0, row.items.indexOf(item) - 1)];
  state.over = state.over === null ? before.id : (others[(at + 1) % others.length].id);
  draw(item);
  sayNumbers();
  return true;
};

const nextOut = () => {
  const out = row.items.filter((item) => reasons(item).length);
  if (!out.length) return say("Nothing stands out."), true;
  const at = row.items.findIndex((item) => item.id === state.selected);
  select((out.find((item) => row.items.indexOf(item) > at) ?? out[0]).id);
  return true;
};

const drop = () => {
  const item = chosen();
  if (!item) return false;
  forgetNudge();
  post("drop", { photos: [item.id] });
  return true;
};

const keys = {
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
  right: (item, value) => ({ right: value / unit() }),
  down: (item, value) => ({ down: value / unit() }),
  scale: (item, value) => ({ scale: value / 100 }),
  turn: (item, value) => ({ turn: value }),
};
for (const [id, change] of Object.entries(typed))
  number(id).addEventListener("change", () => {
    const item = chosen();
    const value = Number(number(id).value.replace(",", "."));
    if (!item) return;
    if (!Number.isFinite(value) || (id === "scale" && value < 2)) return say(`${id} must be a number`, true);
    post("adjust", { photos: [item.id], ...change(item, value) });
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

// The sentences: each rule is sent as it is changed, and the row follows.
const rules = document.querySelector("#rules");
const sendRule = (field, value, more = {}) =>
  send("place/rule", { body: new URLSearchParams({ field, value, category: root.dataset.category, view: root.dataset.view, ...more }) });

hearSentences(rules, root, sendRule);

const showValues = (answer) =>
  tellSentences(rules, answer, (input, kept, refused) => {
    if (!refused && (input !== document.activeElement || input.tagName === "SELECT")) input.value = kept;
  });

for (const direction of ["undo", "redo"]) document.querySelector(`#step-${direction}`).disabled = false;
drawAll();
document.body.dataset.lineUp = "ready";
