// Rows that are moved through by arrows, and the photo of the row in hand shown large for a moment.

const rows = () => [...document.querySelectorAll("tr.row")];
const inHand = () => document.activeElement?.closest?.("tr.row");
const typing = (target) => target.closest("input:not([type=checkbox], [type=file]), select, textarea");

const sheet = document.createElement("div");
sheet.className = "large";
sheet.hidden = true;
sheet.setAttribute("role", "dialog");
sheet.setAttribute("aria-label", "Photo, large");
sheet.innerHTML = '<img alt=""><p class="mono"></p>';
document.body.append(sheet);

const showLarge = (row) => {
  const picture = sheet.querySelector("img");
  picture.src = row.dataset.large;
  picture.alt = row.dataset.caption;
  sheet.querySelector("p").textContent = row.dataset.caption;
  sheet.hidden = false;
};

const move = (by) => {
  const all = rows().filter((row) => sheet.hidden || row.dataset.large);
  if (!all.length) return false;
  const at = all.indexOf(inHand());
  const row = all[at < 0 ? 0 : Math.max(0, Math.min(all.length - 1, at + by))];
  row.focus({ preventScroll: false });
  row.scrollIntoView({ block: "nearest" });
  if (!sheet.hidden) showLarge(row);
  return true;
};

const toggle = () => {
  if (!sheet.hidden) return (sheet.hidden = true);
  const row = inHand() ?? rows()[0];
  if (!row?.dataset.large) return false;
  row.focus();
  showLarge(row);
  return true;
};

const close = () => !sheet.hidden && (sheet.hidden = true);

// A row that the server has drawn anew takes the place of the old one, in hand as before.
let held = "";
document.addEventListener("htmx:beforeSwap", () => (held = inHand()?.id ?? ""));
document.addEventListener("htmx:afterSettle", () => {
  if (held && !inHand() && document.activeElement === document.body) document.getElementById(held)?.focus();
});

const keys = {
  ArrowDown: () => move(1),
  ArrowUp: () => move(-1),
  ArrowRight: () => !sheet.hidden && move(1),
  ArrowLeft: () => !sheet.hidden && move(-1),
  l: toggle,
  Escape: close,
  x: () => {
    const button = inHand()?.querySelector("[data-row-key=x]");
    return Boolean(button) && (button.click(), true);
  },
};

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.shiftKey || document.querySelector("dialog[open]")) return;
  if (typing(event.target)) return;
  if (keys[event.key]?.()) {
    event.preventDefault();
    event.stopImmediatePropagation();
  }
}, true);
sheet.addEventListener("click", close);

// Size of the pictures in the list: remembered for the next page.
const sizes = ["small", "middle", "big"];
const setThumbs = (size) => {
  for (const other of sizes) document.body.classList.toggle(`thumbs-${other}`, other === size);
  for (const button of document.querySelectorAll("[data-thumbs]"))
    button.setAttribute("aria-pressed", String(button.dataset.thumbs === size));
  localStorage.setItem("thumbs", size);
};
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-thumbs]");
  if (button) setThumbs(button.dataset.thumbs);
});
setThumbs(localStorage.getItem("thumbs") ?? "small");
