// "Tell me at the end": a message of the browser, if a person allows it, once a run is through, whichever page is open then.
import { onWork } from "./news.js";

const KEY = "told-at-the-end";
const awaited = () => JSON.parse(localStorage.getItem(KEY) ?? "[]");
const keep = (runs) => localStorage.setItem(KEY, JSON.stringify(runs));

const look = async () => {
  for (const run of awaited()) {
    const answer = await fetch(`/runs/${run}/told`);
    if (answer.status === 204) continue;
    keep(awaited().filter((other) => other !== run));
    if (answer.ok) new Notification("Zero Easel", { body: await answer.text(), tag: `run-${run}`, icon: "/static/mark.svg" });
  }
};

const show = () => {
  const button = document.querySelector("[data-tell]");
  if (!button || !("Notification" in window)) return;
  const waiting = awaited().includes(button.dataset.tell);
  button.hidden = Notification.permission === "denied";
  button.setAttribute("aria-pressed", String(waiting));
};

document.addEventListener("click", async ({ target }) => {
  const button = target.closest("[data-tell]");
  if (!button) return;
  const run = button.dataset.tell;
  if (awaited().includes(run)) keep(awaited().filter((other) => other !== run));
  else if ((await Notification.requestPermission()) === "granted") keep([...awaited(), run]);
  show();
});

document.addEventListener("htmx:afterSettle", show);
onWork(look);
show();
