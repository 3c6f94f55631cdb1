// Overlays by eye: one is dragged on a sample, or on a larger copy of it, and made larger by its corner. The server says
// it in the sentence.

import { shape } from "./svg.js";

const dialog = document.querySelector("#eye");
const stage = document.querySelector("#eye-picture");
const told = document.querySelector("#eye-told");
const NEAR = 0.012; // of the canvas's shorter side, within which an overlay catches
const rules = () => document.querySelector("#rules").dataset;
const samples = () => [...document.querySelectorAll("#samples svg[data-canvas]")];

const numbers = (text) => text.split(" ").map(Number);
const canvasOf = (svg) => svg.viewBox.baseVal;
const perPx = (svg) => {
  const box = svg.getBoundingClientRect();
  return Math.max(canvasOf(svg).width / box.width, canvasOf(svg).height / box.height);
};

// Where it catches along one axis: each line is [at, says]; returns what is missing to it, and the line.
const caught = (sides, middle, edges, whole, reach) => {
  const lines = [[middle, whole / 2, "in the middle"], [sides[0], edges[0], "at the margin"], [sides[1], edges[1], "at the margin"],
    [sides[0], 0, "at the edge"], [sides[1], whole, "at the edge"]]; // prettier-ignore
  const near = lines.filter(([from, to]) => Math.abs(to - from) < reach).sort((a, b) => Math.abs(a[1] - a[0]) - Math.abs(b[1] - b[0]))[0];
  return near ? { by: near[1] - near[0], at: near[1], says: near[2] } : null;
};

// Puts an overlay elsewhere: tells the server, which answers with sentences and samples.
const put = (svg, group, x, y, factor) => {
  const { rules: address, shoot, on } = rules();
  const values = { photo: svg.dataset.canvas, x, y, factor, shoot_id: shoot, on };
  return window.htmx.ajax("POST", `${address}/overlays/${encodeURIComponent(group.dataset.overlay)}/place`, { swap: "none", values });
};

const guides = (svg, across, down) => {
  for (const old of svg.querySelectorAll(".eye-line")) old.remove();
  const { width, height } = canvasOf(svg);
  if (across) svg.append(shape("path", { d: `M${across.at} 0V${height}` }, "eye-line"));
  if (down) svg.append(shape("path", { d: `M0 ${down.at}H${width}` }, "eye-line"));
};

const grip = (svg, group) => {
  for (const old of svg.querySelectorAll(".eye-grip")) old.remove();
  const [, , right, bottom] = numbers(group.dataset.box);
  group.append(shape("path", { d: `M${right} ${bottom}h0` }, "eye-grip"));
};

let held = null;
const begin = (event) => {
  const group = event.target.closest?.("[data-overlay]");
  const svg = group?.ownerSVGElement;
  if (!svg || !(svg === stage || svg.dataset.canvas)) return;
  event.preventDefault();
  svg.setPointerCapture(event.pointerId);
  const [left, top, right, bottom] = numbers(group.dataset.box);
  const sizing = event.target.matches(".eye-grip");
  held = { svg, group, sizing, from: [event.clientX, event.clientY], box: [left, top, right, bottom], middle: [(left + right) / 2, (top + bottom) / 2], by: [0, 0], factor: 1 };
};

const move = (event) => {
  if (!held) return;
  const { svg, group, box, middle, sizing } = held;
  const scale = perPx(svg);
  const [dx, dy] = [(event.clientX - held.from[0]) * scale, (event.clientY - held.from[1]) * scale];
  if (sizing) {
    const half = [(box[2] - box[0]) / 2, (box[3] - box[1]) / 2];
    held.factor = Math.max(0.1, (half[0] * (half[0] + dx) + half[1] * (half[1] + dy)) / (half[0] ** 2 + half[1] ** 2));
    group.setAttribute("transform", `translate(${middle[0]} ${middle[1]}) scale(${held.factor}) translate(${-middle[0]} ${-middle[1]})`);
    told.textContent = `${held.factor.toFixed(2)} times as large`;
    return;
  }
  const { width, height } = canvasOf(svg);
  const area = numbers(svg.dataset.area);
  const reach = NEAR * Math.min(width, height);
  const across = caught([box[0] + dx, box[2] + dx], middle[0] + dx, [area[0], area[2]], width, reach);
  const down = caught([box[1] + dy, box[3] + dy], middle[1] + dy, [area[1], area[3]], height, reach);
  held.by = [dx + (across?.by ?? 0), dy + (down?.by ?? 0)];
  group.setAttribute("transform", `translate(${held.by[0]} ${held.by[1]})`);
  guides(svg, across, down);
  told.textContent = [across && `across ${across.says}`, down && `down ${down.says}`].filter(Boolean).join(", ");
};

const end = () => {
  if (!held) return;
  const { svg, group, middle, by, factor } = held;
  held = null;
  guides(svg, null, null);
  if (by[0] || by[1] || factor !== 1) return void put(svg, group, middle[0] + by[0], middle[1] + by[1], factor);
  if (dialog.open) told.textContent = words();
};

// The larger copy of a sample that shows the overlay.
let name = "";
let at = 0;
// Its place as the sentence has it.
const words = () => {
  const [place, inset, size] = ["at", "inset", "size"].map((key) => document.querySelector(`[data-field="${CSS.escape(`overlays.${name}.${key}`)}"]`));
  return `${size.value}% high, at ${place.selectedOptions[0].text}, ${inset.value} from the edge`;
};
const showing = () => samples().filter((svg) => svg.querySelector(`[data-overlay="${CSS.escape(name)}"]`));
const fill = () => {
  const all = showing();
  if (!all.length) return false;
  const from = all[at % all.length];
  stage.setAttribute("viewBox", from.getAttribute("viewBox"));
  stage.dataset.canvas = from.dataset.canvas;
  stage.dataset.area = from.dataset.area;
  stage.replaceChildren(...[...from.childNodes].map((node) => node.cloneNode(true)));
  for (const group of stage.querySelectorAll("[data-overlay]")) if (group.dataset.overlay === name) grip(stage, group);
  document.querySelector("#eye-title").textContent = `${name} on ${from.dataset.called}`;
  told.textContent = words();
  document.querySelector("#eye-next").hidden = all.length < 2;
  return true;
};

document.addEventListener("click", ({ target }) => {
  const opener = target.closest("[data-eye]");
  if (!opener) return;
  [name, at] = [opener.dataset.eye, 0];
  if (!fill()) {
    document.querySelector("#rules-message").textContent = `None of the samples shows ${name}: no picture meets its condition, or the size beside them does not carry it.`;
    return;
  }
  dialog.showModal();
  stage.focus();
});
document.querySelector("#eye-next").addEventListener("click", () => {
  at += 1;
  fill();
});
document.querySelector("#eye-close").addEventListener("click", () => dialog.close());

// The samples are drawn anew by each answer, and the copy after them.
document.addEventListener("htmx:oobAfterSwap", ({ target }) => target.id === "samples" && dialog.open && fill());

for (const where of [stage, document.querySelector("#rules").parentElement]) {
  where.addEventListener("pointerdown", begin);
  where.addEventListener("pointermove", move);
  for (const ending of ["pointerup", "pointercancel"]) where.addEventListener(ending, end);
}
document.addEventListener("pointerover", ({ target }) => {
  const group = target.closest?.("#samples [data-overlay]");
  if (group && !held && !group.querySelector(".eye-grip")) grip(group.ownerSVGElement, group);
});
stage.addEventListener("keydown", (event) => {
  const group = [...stage.querySelectorAll("[data-overlay]")].find((one) => one.dataset.overlay === name);
  if (!group) return;
  const step = (event.shiftKey ? 0.05 : 0.01) * Math.min(canvasOf(stage).width, canvasOf(stage).height);
  const moves = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
  const [left, top, right, bottom] = numbers(group.dataset.box);
  const by = moves[event.key] ?? [0, 0];
  const factor = { "+": 1.1, "-": 1 / 1.1 }[event.key] ?? 1;
  if (!moves[event.key] && factor === 1) return;
  event.preventDefault();
  put(stage, group, (left + right) / 2 + by[0], (top + bottom) / 2 + by[1], factor);
});
