// Matching by keyboard: rows chosen, a product found by a few letters, and the repairs. The server does all of it.

const matches = () => document.querySelector("#matches");
const inHand = () => document.activeElement?.closest?.("tr.row");
const boxes = () => [...document.querySelectorAll("[name=chosen]")];
const chosen = () => boxes().filter((box) => box.checked).map((box) => box.value);
let held = "";

const say = () => {
  const message = document.querySelector("#chosen-message");
  const count = chosen().length;
  if (message) message.textContent = count ? `${count} chosen` : "Nothing chosen";
};

const draw = (path, values) => {
  held = inHand()?.id ?? held;
  return window.htmx.ajax("POST", path, { target: "#matches", swap: "outerHTML", values });
};

// A run is what was chosen; without that, all from the photo in hand to the end of the shoot.
const run = () => {
  const some = chosen();
  return some.length ? { chosen: some } : { start: inHand()?.dataset.photo ?? "" };
};

const repair = (what, ids, more = {}) =>
  draw(`/shoots/${matches().dataset.shoot}/matches/${what}`, { chosen: ids, page: matches().dataset.page, ...more });
const shift = (direction) => repair(direction, [], run());

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-repair]");
  if (!button) return;
  const what = button.dataset.repair;
  if (what === "later" || what === "earlier") shift(what);
  else repair(what, button.dataset.ids?.split(",") ?? chosen());
});

// A row and the box before it: chosen one by one, or with shift from the last one on.
let last = null;
const choose = (box, range) => {
  const all = boxes();
  if (range && last !== null) {
    const [from, to] = [all.findIndex((b) => b.value === last), all.indexOf(box)].sort((a, b) => a - b);
    if (from >= 0) for (const between of all.slice(from, to + 1)) between.checked = true;
  }
  last = box.value;
  say();
};
document.addEventListener("click", (event) => {
  if (event.target.matches("[name=chosen]")) choose(event.target, event.shiftKey);
});

const keys = {
  Enter: (row) => {
    const field = row.querySelector("[data-code]");
    if (field) field.focus(), field.select();
    return Boolean(field);
  },
  c: (row) => {
    const box = row.querySelector("[name=chosen]");
    if (box) (box.checked = !box.checked), choose(box, false);
    return Boolean(box);
  },
  C: (row) => {
    const box = row.querySelector("[name=chosen]");
    if (box) (box.checked = true), choose(box, true);
    return Boolean(box);
  },
  y: (row) => (repair("confirm", [row.dataset.photo]), true),
  x: (row) => (repair("leave-out", [row.dataset.photo]), true),
  t: (row) => (repair("of-its-burst", [row.dataset.photo]), true),
};
const anywhere = {
  w: () => (repair("swap", chosen()), true),
  ".": () => (shift("later"), true),
  ",": () => (shift("earlier"), true),
  u: () => (repair("undo", []), true),
  U: () => (repair("redo", []), true),
  p: () => (document.querySelector("#assign-code").focus(), true),
};

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
  if (event.target.closest("input:not([type=checkbox]), select, button, a")) return;
  const row = inHand();
  if ((row && keys[event.key]?.(row)) || anywhere[event.key]?.()) {
    event.preventDefault();
    event.stopImmediatePropagation();
  }
}, true);

// Suggestions under the field that is typed in.
const list = document.querySelector("#suggestions");
let asked = 0;
let at = -1;

const hide = () => ((list.hidden = true), (at = -1));
const mark = () => [...list.children].forEach((item, i) => item.setAttribute("aria-selected", String(i === at)));

const suggest = async (field) => {
  const mine = ++asked;
  const answer = await fetch(`/suggest?q=${encodeURIComponent(field.value)}`);
  const products = await answer.json();
  if (mine !== asked || document.activeElement !== field) return;
  list.replaceChildren(...products.map(({ code, name }) => {
    const item = document.createElement("li");
    item.setAttribute("role", "option");
    item.dataset.value = code;
    item.innerHTML = '<span class="mono"></span> <span></span>';
    item.firstChild.textContent = code;
    item.lastChild.textContent = name;
    return item;
  }));
  const box = field.getBoundingClientRect();
  list.style.left = `${box.left + scrollX}px`;
  list.style.top = `${box.bottom + scrollY + 2}px`;
  list.hidden = !products.length;
  at = products.length && field.value.trim() ? 0 : -1;
  mark();
};

// What was typed is sent; then the next photo's field is in hand.
const keep = (field) => {
  const picked = !list.hidden && at >= 0 ? list.children[at].dataset.value : field.value;
  field.value = picked;
  hide();
  asked += 1;
  if (field.dataset.for === "chosen") return repair("assign", chosen(), { code: picked });
  const row = field.closest("tr");
  if (field.dataset.for === "card") return draw(`/photos/${row.dataset.photo}/card`, { code: picked });
  field.form.requestSubmit();
  const rows = [...document.querySelectorAll("tr.row")].filter((other) => other.querySelector("[data-for=photo]"));
  const next = rows[rows.indexOf(row) + 1]?.querySelector("[data-code]");
  if (next) next.focus(), next.select();
};

document.addEventListener("input", (event) => event.target.matches("[data-code]") && suggest(event.target));
document.addEventListener("focusout", (event) => event.target.matches("[data-code]") && setTimeout(hide, 150));
document.addEventListener("keydown", (event) => {
  const field = event.target;
  if (!field.matches?.("[data-code]")) {
    if (event.key === "Escape" && field.matches?.("tr.row input")) field.closest("tr").focus();
    return;
  }
  if (event.key === "ArrowDown" && !list.hidden) at = Math.min(list.children.length - 1, at + 1);
  else if (event.key === "ArrowUp" && !list.hidden) at = Math.max(0, at - 1);
  else if (event.key === "Enter") keep(field);
  else if (event.key === "Escape") hide(), field.closest("tr")?.focus();
  else return;
  mark();
  event.preventDefault();
});
list.addEventListener("mousedown", (event) => {
  const item = event.target.closest("li");
  const field = document.activeElement;
  if (!item || !field.matches("[data-code]")) return;
  at = [...list.children].indexOf(item);
  keep(field);
  event.preventDefault();
});

document.addEventListener("htmx:afterSettle", () => {
  say();
  if (held && document.activeElement === document.body) {
    const again = document.getElementById(held) ?? document.getElementById(held.replace("-again", ""));
    again?.focus({ preventScroll: true });
  }
});

// While photos are still read for cards, the page asks again now and then; what somebody is at is left alone until then.
const wait = () => {
  if (!document.querySelector("#reading")) return;
  setTimeout(async () => {
    const page = new DOMParser().parseFromString(await (await fetch(location.href)).text(), "text/html");
    const busy = document.activeElement?.closest?.("input, tr.row") || chosen().length;
    if (!busy) {
      const fresh = page.querySelector("#matches");
      matches().replaceWith(fresh);
      window.htmx.process(fresh);
    }
    if (!page.querySelector("#reading")) document.querySelector("#reading")?.remove();
    wait();
  }, 1200);
};
wait();
