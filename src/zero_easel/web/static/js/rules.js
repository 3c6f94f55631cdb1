// Sends each rule as it is changed, in order. The sentences stay as they are, so that typing on is never disturbed;
// the server answers with the parts around them, and with all values as it keeps them.

const root = document.querySelector("#rules");

const send = (input) => {
  if (input.dataset.sent === input.value) return;
  input.dataset.sent = input.value;
  const values = { field: input.dataset.field, value: input.value, shoot_id: root.dataset.shoot };
  window.htmx.ajax("POST", "/standards/rule", { source: root, swap: "none", values });
};

root.addEventListener("change", (event) => {
  if (event.target.matches(".rule")) send(event.target);
});

root.addEventListener("keydown", (event) => {
  if (!event.target.matches("input.rule")) return;
  if (event.key === "Enter") send(event.target);
  if (event.key === "Escape") event.target.value = event.target.dataset.kept;
});

document.addEventListener("ruled", ({ detail }) => {
  for (const input of root.querySelectorAll(".rule")) {
    const kept = detail.values[input.dataset.field];
    const refused = input.dataset.field === detail.refused;
    input.toggleAttribute("aria-invalid", refused);
    // What is being typed now, or was sent and is not answered yet, is newer than what the server says.
    const newer = input === document.activeElement && input.value !== input.dataset.sent;
    const pending = input.dataset.sent !== undefined && input.dataset.field !== detail.field && input.value !== kept;
    if (!newer && !pending && !refused) input.value = kept;
    if (input.dataset.field === detail.field) delete input.dataset.sent;
    input.dataset.kept = kept;
  }
  for (const part of root.querySelectorAll("[data-only]")) {
    const [field, unwanted] = part.dataset.only.split("!=");
    part.hidden = detail.values[field] === unwanted;
  }
});
