// Parts of this page, by selector, as the server draws them now. Of two that are asked for at once the one that was asked for
// last is drawn, whichever answer comes first.
import { keyboard, released } from "./hand.js";

let asked = 0;
const drawn = new Map();

export const refresh = async (...wanted) => {
  asked += 1;
  const turn = asked;
  const text = await (await fetch(location.href)).text();
  const page = new DOMParser().parseFromString(text, "text/html");
  await released();
  const back = keyboard();
  for (const id of wanted) {
    const fresh = page.querySelector(id);
    const old = document.querySelector(id);
    if (!fresh || !old || (drawn.get(id) ?? 0) > turn) continue;
    drawn.set(id, turn);
    old.replaceWith(fresh);
    window.htmx.process(fresh);
  }
  back();
  document.dispatchEvent(new CustomEvent("refreshed"));
};
