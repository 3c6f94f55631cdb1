// One photo closer: as shot and as it becomes, what is lost, numbers under the pointer; and what ought to be neutral,
// clicked for it alone or for the whole shoot.

import { refresh } from "./refresh.js";

const dialog = document.querySelector("#neutral");
const closer = document.querySelector("#closer");
const together = document.querySelector("#neutral-together");
const drop = document.querySelector("#neutral-drop");
const title = document.querySelector("#neutral-title");

let photo = null;
let at = [0, 0];
let asking = false;
let next = null;

const part = (name) => closer.querySelector(name);

const draw = () => {
  const [x, y] = at;
  const arm = Math.max(photo.width, photo.height) / 40;
  part(".neutral-cross").setAttribute("d", `M${x - arm} ${y}h${2 * arm}M${x} ${y - arm}v${2 * arm}`);
};

const said = ({ rgb, lab }) => `${rgb.join(" ")}\nL* ${lab[0]} a* ${lab[1]} b* ${lab[2]}`;

// Numbers at a place; of many places in a hurry only the last is asked for.
const tell = async (x, y) => {
  next = [x / photo.width, y / photo.height];
  if (asking) return;
  asking = true;
  while (next) {
    const [right, down] = next;
    next = null;
    const answer = await fetch(`${location.pathname}/place/${photo.id}?x=${right}&y=${down}`).catch(() => null);
    if (!answer?.ok || !part("#closer-before")) break;
    const { before, after } = await answer.json();
    part("#closer-before").textContent = said(before);
    part("#closer-after").textContent = said(after);
  }
  asking = false;
};

const open = async (wanted) => {
  const answer = await fetch(`${location.pathname}/closer/${wanted}`).catch(() => null);
  if (!answer?.ok) return;
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  closer.replaceChildren(page.querySelector("#closer-seen"));
  const [id, name, width, height, byHand] = JSON.parse(part("#closer-seen").dataset.photo);
  photo = { id, width, height };
  at = [width / 2, height / 8];
  title.textContent = `The light on ${name}: what ought to be neutral?`;
  drop.hidden = !byHand;
  document.querySelector("#straighten").href = `/photos/${id}/straighten`;
  draw();
  if (!dialog.open) dialog.showModal();
  part("#neutral-picture").focus();
  tell(...at);
};

const send = async (x, y) => {
  const body = JSON.stringify({ photo: photo.id, x, y, together: together.checked });
  const answer = await fetch(`${location.pathname}/neutral`, { method: "POST", body, headers: { "Content-Type": "application/json" } }).catch(() => null);
  if (!answer?.ok) {
    title.textContent = "Not kept; is the application still running?";
    return;
  }
  dialog.close();
  await refresh("#swatches", "#rules-message");
};

const pointed = (event) => {
  const stage = part("#neutral-picture");
  const point = Object.assign(stage.createSVGPoint(), { x: event.clientX, y: event.clientY }).matrixTransform(stage.getScreenCTM().inverse());
  return point.x < 0 || point.y < 0 || point.x >= photo.width || point.y >= photo.height ? null : [point.x, point.y];
};

const asShot = () => {
  const image = part("#closer-photo");
  if (image.hasAttribute("filter")) image.removeAttribute("filter");
  else if (image.dataset.toned) image.setAttribute("filter", image.dataset.toned);
};

const lost = () => {
  const image = part("#closer-lost");
  if (!image) return;
  if (image.hasAttribute("href")) image.removeAttribute("href");
  else image.setAttribute("href", image.dataset.href);
};

const following = () => {
  const all = [...document.querySelectorAll("[data-neutral]")].map((one) => one.dataset.neutral);
  const wanted = all[(all.indexOf(String(photo.id)) + 1) % all.length];
  if (wanted) open(wanted);
};

const keys = { b: asShot, l: lost, n: following };

document.addEventListener("click", ({ target }) => {
  const opener = target.closest("[data-neutral]");
  if (opener) open(opener.dataset.neutral);
});
closer.addEventListener("click", (event) => {
  const place = event.target.closest("#neutral-picture") && pointed(event);
  if (place) send(...place);
});
closer.addEventListener("pointermove", (event) => {
  const place = event.target.closest("#neutral-picture") && pointed(event);
  if (place) tell(...place);
});
closer.addEventListener("keydown", (event) => {
  if (!event.target.closest("#neutral-picture")) return;
  const step = Math.max(photo.width, photo.height) / (event.shiftKey ? 20 : 100);
  const moves = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
  if (event.key === "Enter") send(...at);
  else if (moves[event.key]) {
    const [dx, dy] = moves[event.key];
    at = [Math.min(photo.width - 1, Math.max(0, at[0] + dx)), Math.min(photo.height - 1, Math.max(0, at[1] + dy))];
    draw();
    tell(...at);
  } else return;
  event.preventDefault();
});
dialog.addEventListener("keydown", (event) => {
  const act = keys[event.key.toLowerCase()];
  if (!act || event.ctrlKey || event.metaKey || event.altKey) return;
  act();
  event.preventDefault();
  event.stopPropagation();
});
drop.addEventListener("click", () => send(null, null));
document.querySelector("#neutral-close").addEventListener("click", () => dialog.close());
