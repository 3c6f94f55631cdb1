// A shoot begins with what is dropped or chosen: it is made, its page comes in the place of this one, and takes the files.

const names = ({ entries, files }) => {
  if (entries.length === 1 && entries[0].isDirectory) return entries[0].name;
  return files.length === 1 && /\.zip$/i.test(files[0].name) ? files[0].name.slice(0, -4) : "";
};

const begin = async (form, detail, folder = "") => {
  const body = new FormData();
  body.append("whole", form.elements.whole.value);
  body.append("name", form.elements.name.value || folder || names(detail));
  const made = await fetch(form.action, { method: "POST", body, headers: { Accept: "application/json" } }).catch(() => null);
  if (!made?.ok) {
    form.querySelector("[role=alert]").textContent = "No shoot was made; is the application still running?";
    return;
  }
  const { address } = await made.json();
  const page = new DOMParser().parseFromString(await (await fetch(address)).text(), "text/html");
  history.pushState({}, "", address);
  document.title = page.title;
  document.body.replaceWith(page.body);
  window.htmx.process(document.body);
  // Each module sees the new page when it runs.
  for (const script of page.querySelectorAll("head script[type=module]")) await import(script.getAttribute("src"));
  document.querySelector("[data-takes-files]").dispatchEvent(new CustomEvent("files-dropped", { detail }));
};
window.addEventListener("popstate", () => location.reload());

for (const form of document.querySelectorAll("[data-begins]")) {
  form.addEventListener("dragover", () => form.classList.add("over"));
  for (const name of ["dragleave", "drop"]) form.addEventListener(name, () => form.classList.remove("over"));
  form.addEventListener("files-dropped", ({ detail }) => begin(form, detail));
  for (const input of form.querySelectorAll("input[type=file]")) {
    const chosen = () => {
      if (!input.files.length) return;
      const files = [...input.files];
      begin(form, { entries: [], files }, files[0].webkitRelativePath.split("/")[0]);
    };
    input.addEventListener("change", chosen);
    chosen(); // before this script was there
  }
}
