// Two at once: what was seen goes along with each change, and where somebody else was faster both values stand there until
// one is chosen.

// By which the server tells this page from others; nothing secret.
export const PAGE = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`;

// The value of a field as it was last told.
export const seenIn = (input) =>
  input.dataset.kept ?? [...(input.options ?? [])].find((option) => option.defaultSelected)?.value;

const button = (text, label, act) => {
  const made = document.createElement("button");
  made.type = "button";
  made.className = "link";
  made.textContent = text;
  made.setAttribute("aria-label", label);
  made.addEventListener("click", act);
  return made;
};

// A conflict beside its field: theirs is kept by the server, yours stands in the field.
export const showConflict = (input, { theirs, yours, said }, send) => {
  const wrap = input.closest(".rule-wrap");
  wrap.querySelector(".conflict")?.remove();
  const box = document.createElement("span");
  box.className = "conflict";
  box.setAttribute("role", "alert");
  const label = input.getAttribute("aria-label") ?? input.dataset.field;
  const settle = (value) => {
    box.remove();
    input.value = value;
    input.dataset.kept = theirs;
    input.removeAttribute("aria-invalid");
  };
  box.append(
    `${said} `,
    button("Take theirs", `Take theirs: ${label}`, () => settle(theirs)),
    " ",
    button("Keep mine", `Keep mine: ${label}`, () => {
      settle(yours);
      send(input.dataset.field, yours, { seen: theirs, page_id: PAGE });
    }),
  );
  wrap.append(box);
  input.value = yours;
};

// Forms that say what was seen.
document.addEventListener("htmx:configRequest", ({ detail }) => {
  if ("page_id" in detail.parameters) detail.parameters.page_id = PAGE;
});

const formOf = (photo) => document.getElementById(`code-${photo}`)?.form;
document.addEventListener("matched", ({ detail }) => {
  const form = formOf(detail.photo);
  if (form && !detail.conflict) form.elements.seen.value = detail.seen;
});
document.addEventListener("click", ({ target }) => {
  const mine = target.closest?.("[data-conflict]");
  const theirs = target.closest?.("[data-theirs]");
  const form = formOf(mine?.dataset.conflict ?? theirs?.dataset.theirs);
  if (!form) return;
  if (mine) form.elements.seen.value = mine.dataset.seen;
  else for (const field of ["code", "view"]) form.elements[field].value = theirs.dataset[field];
  form.requestSubmit();
});
