// A photo straightened: the bend of its lens as a number, and four corners of a rectangle dragged on it. What becomes of it
// is drawn by the server, as it will be.

import { shape } from "./svg.js";

const desk = document.querySelector("#straighten");
const held = JSON.parse(desk.dataset.held);
const stage = document.querySelector("#as-photographed");
const result = document.querySelector("#straight");
const bend = document.querySelector("#bend");
const slider = document.querySelector("#bend-slider");
const aspect = document.querySelector("#aspect");
const message = document.querySelector("#message");
const [width, height] = held.frame;
const NAMES = ["Upper left corner", "Upper right corner", "Lower right corner", "Lower left corner"];

let [radial, corners, ratio] = held.rectified;
let asked = "";
let wanted = "";

// What is refused is said as plain text to who asks for no page.
const PARTIAL = { "HX-Request": "true" };
const reasonOf = async (answer, what) => (answer ? answer.text() : `${what}; is the application still running?`);

const short = (value) => String(Number(value.toFixed(2)));

// The picture of what is asked for; of many in a hurry only the last is drawn.
const show = () => {
  const places = corners.map(([x, y]) => [Number(x.toFixed(1)), Number(y.toFixed(1))]);
  wanted = `/photos/${held.id}/straight.jpg?longest=640&as=${encodeURIComponent(JSON.stringify([radial, places, ratio]))}`;
  if (asked) return;
  asked = wanted;
  result.src = asked;
};
const shown = () => {
  const again = asked !== wanted;
  asked = "";
  if (again) show();
};
result.addEventListener("load", () => {
  message.textContent = "";
  shown();
});
result.addEventListener("error", async () => {
  message.textContent = await reasonOf(await fetch(asked, { headers: PARTIAL }).catch(() => null), "Not drawn");
  shown();
});

const draw = () => {
  const reach = Math.max(width, height) / 70;
  const line = shape("path", { d: corners.length ? `M${corners.map((point) => point.join(" ")).join("L")}Z` : "" }, "straighten-line");
  const inHand = document.activeElement?.dataset?.corner;
  const handles = corners.map(([x, y], at) => {
    const handle = shape("circle", { cx: x, cy: y, r: reach, tabindex: 0, role: "button", "data-corner": at }, "straighten-corner");
    handle.setAttribute("aria-label", `${NAMES[at]}: ${Math.round(x)} from the left, ${Math.round(y)} from above`);
    return handle;
  });
  stage.replaceChildren(stage.firstElementChild, line, ...handles);
  if (inHand !== undefined) handles[Number(inHand)]?.focus();
  document.querySelector("#aspect-part").hidden = !corners.length;
  const percent = 100 * radial.reduce((sum, term) => sum + term, 0);
  if (document.activeElement !== bend) bend.value = short(percent);
  if (document.activeElement !== slider) slider.value = String(percent);
  if (document.activeElement !== aspect) aspect.value = ratio ? short(ratio) : "";
  show();
};

const within = (value, most) => Math.min(most, Math.max(0, value));
const move = (at, x, y) => {
  corners = corners.map((point, n) => (n === at ? [within(x, width), within(y, height)] : point));
  draw();
};

const bendTo = (text) => {
  const percent = Number(text.replace(",", ".").replace("−", "-"));
  if (Number.isFinite(percent) && Math.abs(percent) <= held.most) radial = [0, percent / 100, 0];
  else message.textContent = `Between -${held.most} and ${held.most} %.`;
  draw();
};
bend.addEventListener("change", () => bendTo(bend.value));
slider.addEventListener("input", () => bendTo(slider.value));
document.querySelector("#by-lens")?.addEventListener("click", () => {
  radial = held.lens;
  draw();
});
aspect.addEventListener("change", () => {
  const value = Number(aspect.value.replace(",", "."));
  ratio = Number.isFinite(value) && value > 0 ? Math.min(20, Math.max(0.05, value)) : 0;
  draw();
});

const pointed = (event) => {
  const point = Object.assign(stage.createSVGPoint(), { x: event.clientX, y: event.clientY });
  return point.matrixTransform(stage.getScreenCTM().inverse());
};
let dragged = null;
stage.addEventListener("pointerdown", (event) => {
  const at = event.target.dataset.corner;
  if (at === undefined) return;
  event.preventDefault();
  dragged = Number(at);
  stage.setPointerCapture(event.pointerId);
  event.target.focus();
});
stage.addEventListener("pointermove", (event) => {
  if (dragged === null) return;
  const { x, y } = pointed(event);
  move(dragged, x, y);
});
for (const name of ["pointerup", "pointercancel"])
  stage.addEventListener(name, () => {
    dragged = null;
  });
stage.addEventListener("keydown", (event) => {
  const at = event.target.dataset.corner;
  const step = Math.max(width, height) / (event.shiftKey ? 50 : 500);
  const moves = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
  if (at === undefined || !moves[event.key]) return;
  event.preventDefault();
  const [x, y] = corners[Number(at)];
  const [dx, dy] = moves[event.key];
  move(Number(at), x + dx, y + dy);
});

document.querySelector("#find").addEventListener("click", async () => {
  const answer = await fetch(`/photos/${held.id}/rectangle`).catch(() => null);
  const found = answer?.ok ? (await answer.json()).corners : [];
  message.textContent = found.length ? "" : "Its item has not four straight sides: put the corners by hand.";
  if (found.length) corners = found;
  draw();
});
document.querySelector("#put").addEventListener("click", () => {
  const [x, y] = [width / 4, height / 4];
  corners = [[x, y], [3 * x, y], [3 * x, 3 * y], [x, 3 * y]];
  draw();
  stage.querySelector("circle").focus();
});
document.querySelector("#none").addEventListener("click", () => {
  corners = [];
  ratio = 0;
  draw();
});

const keep = async (body) => {
  const together = document.querySelector("#together").checked;
  const answer = await fetch(`/photos/${held.id}/straighten`, {
    method: "POST",
    body: JSON.stringify({ ...body, together }),
    headers: { ...PARTIAL, "Content-Type": "application/json" },
  }).catch(() => null);
  if (answer?.ok) window.location.assign(desk.dataset.back);
  else message.textContent = await reasonOf(answer, "Not kept");
};
document.querySelector("#keep").addEventListener("click", () => keep({ radial, corners, aspect: ratio }));
document.querySelector("#undone").addEventListener("click", () => keep({ radial: [0, 0, 0], corners: [], aspect: 0 }));

draw();
