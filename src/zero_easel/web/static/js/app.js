import "./meanwhile.js";
// Keys and small switches that every page shares. Nothing is decided here; buttons and links are pressed for people.

const typing = (target) => target.closest("input:not([type=range], [type=radio], [type=checkbox], [type=file]), select, textarea, [contenteditable]");

const press = (selector) => {
  const target = document.querySelector(selector);
  if (target) target.click();
  return Boolean(target);
};

const stands = () => [...document.querySelectorAll(".stand-link")];

const step = (by) => {
  const all = stands();
  if (!all.length) return false;
  const at = all.indexOf(document.activeElement);
  all[Math.max(0, Math.min(all.length - 1, at < 0 ? 0 : at + by))].focus();
  return true;
};

// The wall is drawn anew after each change; the place where a person was is kept.
let placeOnWall = 0;
const act = (what) => {
  const photo = document.activeElement?.dataset?.photo ?? document.querySelector(".look .stand-link")?.dataset.photo;
  if (!photo || !document.querySelector("#wall")) return false;
  placeOnWall = Math.max(0, stands().findIndex((stand) => stand.dataset.photo === photo));
  window.htmx.ajax("POST", `/photos/${photo}/${what}`, { target: "#wall", swap: "outerHTML" }).then(() => {
    const all = stands();
    all[Math.min(placeOnWall, all.length - 1)]?.focus();
  });
  return true;
};

const flip = () => {
  if (document.querySelector("#wall")) return document.body.classList.toggle("show-before") || true;
  return press("[data-key=b]");
};

const keys = {
  "?": () => (document.querySelector("#keys").showModal(), true),
  "/": () => (document.querySelector("input[name=q]").focus(), true),
  ArrowLeft: () => press("[data-key=ArrowLeft]") || step(-1),
  ArrowRight: () => press("[data-key=ArrowRight]") || step(1),
  Escape: () => press("[data-key=Escape]"),
  a: () => press("[data-key=a]") || act("accept"),
  A: () => press("#accept-all"),
  c: () => {
    const box = document.activeElement?.closest(".stand")?.querySelector("[name=chosen]");
    return Boolean(box) && (box.click(), true);
  },
  x: () => press("[data-key=x]") || act("leave-out-doubtful"),
  t: () => press("[data-key=t]"),
  u: () => press("[data-key=u]:not(:disabled)"),
  U: () => press("[data-key=U]:not(:disabled)"),
  b: () => !document.querySelector("#bench") && flip(),
};

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
  if (event.target.matches?.("input[type=range]") && event.key.startsWith("Arrow")) return;
  if (event.target.closest && typing(event.target)) return;
  const handled = /^[1-7]$/.test(event.key) ? press(`[data-stage="${event.key}"]`) : keys[event.key]?.();
  if (handled) event.preventDefault();
});

// A choice that needs no button: sent as soon as it is made.
document.addEventListener("change", ({ target }) => target.closest("[data-submit]") && target.form.requestSubmit());

document.addEventListener("click", (event) => {
  const opener = event.target.closest("[data-open]");
  if (opener) document.getElementById(opener.dataset.open).showModal();
  const ground = event.target.closest("[data-set-ground]");
  if (ground) setGround(ground.dataset.setGround);
});

// Ground behind cutouts: remembered for the next page.
const grounds = ["white", "grey", "black", "hatch"];

function setGround(name) {
  const group = document.querySelector(".grounds");
  if (!group) return;
  const own = group.dataset.own;
  for (const key of grounds) document.body.classList.toggle(`ground-${key}`, key === name);
  if (name === "own" && own === "transparent") document.body.classList.add("ground-hatch");
  document.body.style.setProperty("--ground", name === "own" && own !== "transparent" ? own : "");
  for (const button of group.querySelectorAll("button"))
    button.setAttribute("aria-pressed", String(button.dataset.setGround === name));
  localStorage.setItem("ground", name);
}
setGround(localStorage.getItem("ground") ?? "own");

// The server's own spelling of a match goes into its fields, except into one that is being typed in.
document.addEventListener("matched", ({ detail }) => {
  // Where somebody else was faster, both stand there.
  if (detail.conflict) return;
  for (const field of ["code", "view"]) {
    const input = document.getElementById(`${field}-${detail.photo}`);
    if (input && input !== document.activeElement) input.value = detail[field];
  }
});
