// The sentences of a standard, on whatever page they stand.
import { PAGE, seenIn, showConflict } from "./meanwhile.js";

let sender;

// "item.scale=share|true-size" or "item.scale!=share": whether a part of a sentence belongs there.
const holds = (condition, values) => {
  const [, field, not, wanted] = condition.match(/^(.+?)(!?)=(.*)$/);
  return wanted.split("|").includes(values[field]) !== Boolean(not);
};

// Shows the parts of sentences that hold now.
export const showParts = (root, values) => {
  for (const part of root.querySelectorAll("[data-only]")) part.hidden = !holds(part.dataset.only, values);
};

// The same, and writes all values, and which rules are a category's or a view's own. settle(input, kept, refused) writes a value.
export const tellSentences = (root, { values, own, refused, conflict }, settle) => {
  for (const input of root.querySelectorAll(".rule[data-field]")) {
    const kept = values[input.dataset.field];
    input.toggleAttribute("aria-invalid", input.dataset.field === refused);
    settle(input, kept, input.dataset.field === refused);
    input.dataset.kept = kept;
    if (conflict && input.dataset.field === refused) showConflict(input, conflict, sender);
    input.closest(".rule-wrap").classList.toggle("own", own.includes(input.dataset.field));
  }
  showParts(root, values);
  const line = root.querySelector("#own-message");
  if (line) line.hidden = !own.length;
};

// Calls send(field, value, more) for each change.
export const hearSentences = (root, tell) => {
  const send = (sender = (field, value, more = {}) => {
    const input = root.querySelector(`.rule[data-field="${CSS.escape(field)}"]`);
    const seen = input && seenIn(input);
    tell(field, value, { page_id: PAGE, ...(seen === undefined ? {} : { seen }), ...more });
  });
  root.addEventListener("change", ({ target }) => {
    if (target.dataset.scope) {
      const to = new URLSearchParams(window.location.search);
      to.set(target.dataset.scope, target.value);
      window.location.search = to.toString();
    } else if (target.matches(".rule")) send(target.dataset.field, target.value);
  });
  root.addEventListener("keydown", ({ key, target }) => {
    if (!target.matches("input.rule")) return;
    if (key === "Enter") send(target.dataset.field, target.value);
    if (key === "Escape") target.value = target.dataset.kept;
  });
  root.addEventListener("click", ({ target }) => {
    if (!target.closest("[data-drop-own]")) return;
    for (const input of root.querySelectorAll(".own .rule[data-field]")) send(input.dataset.field, "", { drop: true });
  });
  // What was changed before anyone listened: a page can be read and typed into before its scripts are there.
  for (const input of root.querySelectorAll(".rule[data-field]")) {
    const drawn = seenIn(input);
    if (drawn !== undefined && input.value !== drawn) send(input.dataset.field, input.value);
  }
};
