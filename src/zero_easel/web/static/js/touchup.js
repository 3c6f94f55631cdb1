// The correcting canvas: shows tiles of the photo and of its cutout, and sends what a person draws. All computing is
// the server's; here is only where things lie on the screen.

import { drawDoubts, striped } from "./doubts.js";
import { kept, ready } from "./tiles.js";

const canvas = document.querySelector("#bench");
const pen = canvas.getContext("2d");
const aside = document.createElement("canvas");
const tile = Number(canvas.dataset.tile);
let state = JSON.parse(canvas.dataset.state);
let shownKey = state.key;
const places = JSON.parse(canvas.dataset.doubts);
const levels = Math.max(0, Math.ceil(Math.log2(Math.max(state.width, state.height) / tile)));
const view = { scale: 1, x: 0, y: 0 };
const chosen = (name) => document.querySelector(`input[name=${name}]:checked`).value;
let wipe = 0.5;
let stroke = null;
let grip = null;
let spread = null;
let pointer = null;
const held = new Map();

// Tiles ------------------------------------------------------------------------------------------------------------

const picture = kept(() => soon());
const photoTile = (level, x, y) => `/photos/${state.id}/tiles/photo/${state.digest}/${level}/${x}/${y}.jpg`;
const itemTile = (key) => (level, x, y) => `/photos/${state.id}/tiles/cutout/${key}/${level}/${x}/${y}.png`;

function levelNow() {
  const wanted = Math.floor(Math.log2(1 / (view.scale * devicePixelRatio)) + 0.3);
  return Math.max(0, Math.min(levels, wanted));
}

// All tiles of a level that the canvas shows, as [column, row].
function visible(level) {
  const size = tile * 2 ** level;
  const [w, h] = [canvas.clientWidth / view.scale, canvas.clientHeight / view.scale];
  const found = [];
  for (let y = Math.max(0, Math.floor(view.y / size)); y * size < Math.min(state.height, view.y + h); y++)
    for (let x = Math.max(0, Math.floor(view.x / size)); x * size < Math.min(state.width, view.x + w); x++) found.push([x, y]);
  return found;
}

// Draws one layer, coarse tiles first so that nothing is blank while finer ones are on their way.
function layer(onto, address) {
  const level = levelNow();
  let complete = true;
  for (const at of level < levels ? [levels, level] : [level]) {
    const size = tile * 2 ** at;
    for (const [x, y] of visible(at)) {
      const image = picture(address(at, x, y));
      if (!ready(image)) {
        complete &&= at !== level;
        continue;
      }
      if (at !== level) continue;
      const right = Math.min(state.width, x * size + image.naturalWidth * 2 ** at);
      const bottom = Math.min(state.height, y * size + image.naturalHeight * 2 ** at);
      onto.clearRect(x * size, y * size, right - x * size, bottom - y * size);
      onto.drawImage(image, x * size, y * size, right - x * size, bottom - y * size);
    }
    if (at === levels && level < levels && !visible(level).every(([x, y]) => ready(picture(address(level, x, y)))))
      for (const [x, y] of visible(at)) {
        const image = picture(address(at, x, y));
        if (ready(image)) onto.drawImage(image, x * size, y * size, Math.min(state.width - x * size, image.naturalWidth * 2 ** at), Math.min(state.height - y * size, image.naturalHeight * 2 ** at));
      }
  }
  return complete;
}

// Drawing ----------------------------------------------------------------------------------------------------------

let waiting = false;
function soon() {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    draw();
  });
}

function place(context) {
  const s = view.scale * devicePixelRatio;
  context.setTransform(s, 0, 0, s, -view.x * s, -view.y * s);
  context.imageSmoothingEnabled = view.scale < 2;
}

function item(key) {
  aside.width = canvas.width;
  aside.height = canvas.height;
  const context = aside.getContext("2d");
  place(context);
  const complete = layer(context, itemTile(key));
  context.setTransform(1, 0, 0, 1, 0, 0);
  return complete;
}

let hatching = null;
function ground() {
  const pressed = document.querySelector(".grounds button[aria-pressed=true]")?.dataset.setGround ?? "own";
  const own = document.querySelector(".grounds").dataset.own;
  const name = pressed === "own" ? (own === "transparent" ? "hatch" : own) : pressed;
  if (name !== "hatch") return { white: "#ffffff", grey: "#808080", black: "#000000" }[name] ?? name;
  hatching ??= striped(pen, 12, "#c9c9c5", 2, "#fff");
  return hatching;
}

function draw() {
  const shown = chosen("shown");
  pen.setTransform(1, 0, 0, 1, 0, 0);
  pen.fillStyle = "#dcdcd9";
  pen.fillRect(0, 0, canvas.width, canvas.height);
  pen.save();
  place(pen);
  pen.beginPath();
  pen.rect(0, 0, state.width, state.height);
  pen.clip();
  if (shown === "photo" || shown === "wipe") layer(pen, photoTile);
  if (shown !== "photo") result(shown);
  pen.restore();
  if (shown === "wipe") wipeLine();
  if (document.querySelector("#doubts-shown").checked && shown !== "matte" && !state.marks.length) {
    place(pen);
    drawDoubts(pen, places, view.scale);
  }
  if (document.querySelector("#marks-shown").checked) marks();
  cursor();
}

function result(shown) {
  pen.setTransform(1, 0, 0, 1, 0, 0);
  const s = view.scale * devicePixelRatio;
  const from = shown === "wipe" ? (wipe * state.width - view.x) * s : -1e6;
  pen.beginPath();
  pen.rect(from, -1e6, 2e6, 2e6);
  pen.clip();
  pen.fillStyle = shown === "matte" ? "#000000" : ground();
  pen.fillRect(0, 0, canvas.width, canvas.height);
  const complete = item(state.key);
  if (complete) shownKey = state.key;
  else if (shownKey !== state.key) item(shownKey);
  else if (shown !== "matte") {
    // Until there is a first cutout to show, what it is cut out of.
    place(pen);
    layer(pen, photoTile);
    pen.setTransform(1, 0, 0, 1, 0, 0);
  }
  if (shown === "matte") {
    const context = aside.getContext("2d");
    context.globalCompositeOperation = "source-in";
    context.fillStyle = "#fff";
    context.fillRect(0, 0, aside.width, aside.height);
    context.globalCompositeOperation = "source-over";
  }
  pen.drawImage(aside, 0, 0);
  if (complete) canvas.dataset.shown = state.key;
  else delete canvas.dataset.shown;
}

function wipeLine() {
  const x = (wipe * state.width - view.x) * view.scale * devicePixelRatio;
  pen.setTransform(1, 0, 0, 1, 0, 0);
  pen.fillStyle = "#e39a00";
  pen.fillRect(x - 1, 0, 2, canvas.height);
  pen.beginPath();
  pen.moveTo(x, canvas.height - 22);
  pen.lineTo(x - 11, canvas.height);
  pen.lineTo(x + 11, canvas.height);
  pen.fill();
}

// Item marks are a solid saffron line, backdrop marks a dark one broken by white, fences a dotted outline.
const looks = {
  item: ["#e39a00", null], "exact-item": ["#e39a00", null], backdrop: ["#191918", "#ffffff"],
  "exact-backdrop": ["#191918", "#ffffff"], fence: ["#8a5a00", "#ffffff"],
};

function marks() {
  place(pen);
  for (const mark of stroke ? [...state.marks, stroke] : state.marks) {
    const [colour, broken] = looks[mark.kind];
    pen.beginPath();
    mark.points.forEach(([x, y], i) => (i ? pen.lineTo(x, y) : pen.moveTo(x, y)));
    if (mark.kind === "fence" && mark !== stroke) pen.closePath();
    if (mark.points.length === 1) pen.lineTo(mark.points[0][0] + 0.01, mark.points[0][1]);
    pen.lineCap = pen.lineJoin = "round";
    pen.globalAlpha = mark.kind === "fence" ? 1 : mark === stroke ? 0.6 : 0.4;
    const width = mark.kind === "fence" ? 2.5 / view.scale : 2 * mark.radius;
    pen.lineWidth = width;
    pen.strokeStyle = colour;
    pen.stroke();
    if (broken) {
      pen.lineWidth = mark.kind === "fence" ? width : Math.min(width / 4, 3 / view.scale);
      pen.setLineDash([5 / view.scale, 6 / view.scale]);
      pen.strokeStyle = broken;
      pen.stroke();
      pen.setLineDash([]);
    }
    pen.globalAlpha = 1;
  }
}

function cursor() {
  const tool = chosen("tool");
  if (!pointer || tool === "move" || tool === "fence" || grip) return;
  pen.setTransform(devicePixelRatio, 0, 0, devicePixelRatio, 0, 0);
  for (const [colour, more] of [["#ffffff", 1], ["#191918", 0]]) {
    pen.beginPath();
    pen.arc(pointer[0], pointer[1], Math.max(1.5, radius() * view.scale + Number(more)), 0, 7);
    pen.strokeStyle = colour;
    pen.lineWidth = 1;
    pen.stroke();
  }
}

// The view ---------------------------------------------------------------------------------------------------------

function fit() {
  const scale = Math.min(canvas.clientWidth / state.width, canvas.clientHeight / state.height) * 0.98;
  look(scale, state.width / 2 - canvas.clientWidth / scale / 2, state.height / 2 - canvas.clientHeight / scale / 2);
}

function look(scale, x, y) {
  const widest = Math.min(canvas.clientWidth / state.width, canvas.clientHeight / state.height) * 0.5;
  view.scale = Math.max(widest, Math.min(32, scale));
  const room = [canvas.clientWidth / view.scale, canvas.clientHeight / view.scale];
  view.x = Math.max(-room[0] * 0.8, Math.min(state.width - room[0] * 0.2, x));
  view.y = Math.max(-room[1] * 0.8, Math.min(state.height - room[1] * 0.2, y));
  document.querySelector("#zoom-message").textContent = `${Math.round(100 * view.scale * devicePixelRatio)} %`;
  brushSaid();
  soon();
}

function zoomAt(factor, cx, cy) {
  const [x, y] = [view.x + cx / view.scale, view.y + cy / view.scale];
  const scale = Math.max(0.01, Math.min(32, view.scale * factor));
  look(scale, x - cx / scale, y - cy / scale);
}

function resize() {
  canvas.width = Math.round(canvas.clientWidth * devicePixelRatio);
  canvas.height = Math.round(canvas.clientHeight * devicePixelRatio);
  soon();
}

const spot = (event) => [event.offsetX, event.offsetY];
/** @type {(point: number[]) => number[]} */
const onPhoto = ([x, y]) => [view.x + x / view.scale, view.y + y / view.scale];
// From one pixel of the original to an eighth of its shorter side.
const radius = () => 0.5 * (Math.min(state.width, state.height) / 8) ** (document.querySelector("#brush").value / 100);
const brushSaid = () => (document.querySelector("#brush-message").textContent = `${Math.max(1, Math.round(2 * radius()))} px`);

// Gestures ---------------------------------------------------------------------------------------------------------

canvas.addEventListener("wheel", (event) => {
  event.preventDefault();
  zoomAt(Math.exp(-event.deltaY * (event.deltaMode ? 0.05 : 0.002)), ...spot(event));
}, { passive: false });

canvas.addEventListener("pointerdown", (event) => {
  canvas.focus({ preventScroll: true });
  canvas.setPointerCapture(event.pointerId);
  held.set(event.pointerId, spot(event));
  const at = spot(event);
  const onLine = chosen("shown") === "wipe" && Math.abs(at[0] - (wipe * state.width - view.x) * view.scale) < 9;
  if (held.size === 2) {
    stroke = null;
    spread = [...held.values()];
  } else if (onLine) grip = "wipe";
  else if (event.button === 1 || chosen("tool") === "move") grip = at;
  else if (event.button === 0) stroke = { kind: chosen("tool"), points: [onPhoto(at)], radius: radius() };
  soon();
});

canvas.addEventListener("pointermove", (event) => {
  const at = (pointer = spot(event));
  if (held.has(event.pointerId)) held.set(event.pointerId, at);
  if (spread && held.size === 2) pinch();
  else if (grip === "wipe") wipe = Math.max(0, Math.min(1, onPhoto(at)[0] / state.width));
  else if (grip) {
    look(view.scale, view.x - (at[0] - grip[0]) / view.scale, view.y - (at[1] - grip[1]) / view.scale);
    grip = at;
  } else if (stroke) {
    const last = stroke.points.at(-1);
    const next = onPhoto(at);
    if (Math.hypot(next[0] - last[0], next[1] - last[1]) * view.scale > 1.5) stroke.points.push(next);
  }
  soon();
});

function pinch() {
  const [[ax, ay], [bx, by]] = spread;
  const [[cx, cy], [dx, dy]] = [...held.values()];
  zoomAt(Math.hypot(dx - cx, dy - cy) / Math.max(1, Math.hypot(bx - ax, by - ay)), (cx + dx) / 2, (cy + dy) / 2);
  look(view.scale, view.x - (cx + dx - ax - bx) / 2 / view.scale, view.y - (cy + dy - ay - by) / 2 / view.scale);
  spread = [...held.values()];
}

const lift = (event) => {
  held.delete(event.pointerId);
  if (stroke && event.type === "pointerup" && (stroke.kind !== "fence" || stroke.points.length > 2)) {
    send("marks", { marks: [stroke] });
    state.marks.push(stroke);
  }
  stroke = grip = null;
  if (held.size < 2) spread = null;
  soon();
};
canvas.addEventListener("pointerup", lift);
canvas.addEventListener("pointercancel", lift);
canvas.addEventListener("pointerleave", () => ((pointer = null), soon()));

// Talking to the server --------------------------------------------------------------------------------------------

/** @type {Promise<any>} */
/** @type {Promise<any>} */
let queue = Promise.resolve();
function send(what, body) {
  queue = queue.then(async () => {
    const answer = await fetch(`/photos/${state.id}/${what}`, {
      method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body ?? {}),
    });
    if (!answer.ok) return say("That was not kept. Reload the page and draw it again.");
    const next = await answer.json();
    if (next.key) {
      state = next;
      showMessage();
      soon();
    }
    return next;
  });
  return queue;
}

const say = (text) => (document.querySelector("#marks-message").textContent = text);
function showMessage() {
  const n = state.marks.length;
  say(n ? `${n} ${n === 1 ? "mark" : "marks"}, kept.` : "No marks yet. Draw roughly; edges are found for you.");
  document.querySelector("#undo").disabled = !state.undo;
  document.querySelector("#redo").disabled = !state.redo;
  const copy = document.querySelector("#copy-fence");
  if (copy) copy.disabled = !state.marks.some((mark) => mark.kind === "fence");
}

// Switches and keys ------------------------------------------------------------------------------------------------

document.querySelector("#undo").addEventListener("click", () => send("undo"));
document.querySelector("#redo").addEventListener("click", () => send("redo"));
document.querySelector("#copy-fence")?.addEventListener("click", async (event) => {
  const to = event.target.dataset.to;
  if (await send("copy-fence")) location.href = to;
});
document.querySelector("#whole").addEventListener("click", fit);
document.querySelector("#pixels").addEventListener("click", () => zoomAt(1 / devicePixelRatio / view.scale, canvas.clientWidth / 2, canvas.clientHeight / 2));
for (const input of document.querySelectorAll("input[name=shown], input[name=tool], #marks-shown, #doubts-shown")) input.addEventListener("change", soon);
document.querySelector("#brush").addEventListener("input", () => (brushSaid(), soon()));
document.querySelector(".grounds").addEventListener("click", soon);

const pick = (name, value) => ((document.querySelector(`input[name=${name}][value=${value}]`).checked = true), soon());
const brush = (by) => {
  const range = document.querySelector("#brush");
  range.value = Number(range.value) + by;
  brushSaid();
  soon();
};
const keys = {
  i: () => pick("tool", "item"), d: () => pick("tool", "backdrop"), f: () => pick("tool", "fence"), m: () => pick("tool", "move"),
  b: () => pick("shown", chosen("shown") === "photo" ? "result" : "photo"), w: () => pick("shown", "wipe"), k: () => pick("shown", "matte"),
  ",": () => brush(-5), ".": () => brush(5), u: () => send("undo"), r: () => send("redo"),
  "+": () => zoomAt(1.25, canvas.clientWidth / 2, canvas.clientHeight / 2), "-": () => zoomAt(0.8, canvas.clientWidth / 2, canvas.clientHeight / 2),
  n: () => document.querySelector("[data-key=n]")?.click(), p: () => document.querySelector("#pixels").click(), o: () => fit(),
};
document.addEventListener("keydown", (event) => {
  if (document.querySelector("dialog[open]") || event.target.matches?.("input:not([type=range], [type=radio], [type=checkbox])")) return;
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
    event.preventDefault();
    send(event.shiftKey ? "redo" : "undo");
  } else if (!event.ctrlKey && !event.metaKey && !event.altKey && keys[event.key]) {
    event.preventDefault();
    keys[event.key]();
  }
});

new ResizeObserver(resize).observe(canvas);
resize();
fit();
showMessage();
