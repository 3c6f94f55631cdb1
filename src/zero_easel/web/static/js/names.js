// Rules of naming: tried while they are typed, kept when the field is left. The server does the naming.

import { showParts } from "./sentences.js";

/** @type {HTMLFormElement} */
const form = document.querySelector("#names");
const path = `/shoots/${form.dataset.shoot}/names`;
let last = form.elements.name;
let timer = 0;

const values = () => Object.fromEntries(new FormData(form));
const draw = (to, body) => window.htmx.ajax("POST", to, { target: "#names-made", swap: "outerHTML", values: body });

const attempt = () => draw(`${path}/try`, values());
// What was typed while an answer was under way is asked for anew.
document.addEventListener("htmx:afterRequest", ({ detail }) => {
  const asked = detail.requestConfig.parameters;
  if (detail.pathInfo.requestPath !== `${path}/try`) return;
  if (Object.entries(values()).some(([name, value]) => asked[name] !== value)) attempt();
});
const keep = (input) => {
  clearTimeout(timer);
  return draw(path, { field: input.name, value: input.value, only: form.elements.only.value });
};

form.addEventListener("submit", (event) => event.preventDefault());
form.addEventListener("focusin", (event) => {
  if (event.target.matches("#rule-names-name, #rule-names-folder")) last = event.target;
});
form.addEventListener("input", (event) => {
  if (!event.target.matches("input.rule")) return;
  clearTimeout(timer);
  timer = setTimeout(attempt, 120);
});
form.addEventListener("change", (event) => event.target.matches(".rule") && keep(event.target));
form.addEventListener("keydown", (event) => {
  if (event.key === "Enter" && event.target.matches("input.rule")) keep(event.target);
});

const put = (input, text) => {
  input.value = text;
  keep(input);
  input.focus();
};
document.addEventListener("click", (event) => {
  const { insert, whole, remedy } = event.target.closest("[data-insert], [data-whole], [data-remedy]")?.dataset ?? {};
  if (insert) put(last, last.value.slice(0, last.selectionStart) + insert + last.value.slice(last.selectionEnd));
  if (whole) put(form.elements.name, whole);
  if (remedy === "count") (form.elements.on_duplicate.value = "count"), keep(form.elements.on_duplicate);
  else if (remedy) put(form.elements.name, `${form.elements.name.value}_${remedy}`);
});

document.addEventListener("htmx:afterSettle", () => {
  const refused = document.querySelector("#names-message")?.dataset.refused;
  for (const input of form.querySelectorAll(".rule")) input.toggleAttribute("aria-invalid", input.name === refused);
});
// What the server keeps, in its own spelling, except in the field that is being typed in.
document.addEventListener("named", ({ detail }) => {
  showParts(form, Object.fromEntries(Object.entries(detail).map(([name, value]) => [`names.${name}`, value])));
  const refused = document.querySelector("#names-message")?.dataset.refused;
  for (const input of form.querySelectorAll(".rule"))
    if (input !== document.activeElement && input.name !== refused) input.value = detail[input.name];
});
