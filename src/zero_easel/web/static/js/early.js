// A page is read and used before its scripts are there: presses of buttons that only scripts answer wait for them, and so
// do files that are dropped. This one is no module, and the first of all, so that it hears from the start.
(() => {
  /** @type {(() => void)[] | null} */
  let waiting = [];
  const hold = (event) => {
    const button = event.target.closest("button[type=button]");
    if (!button) return;
    event.stopImmediatePropagation();
    waiting?.push(() => button.isConnected && button.click());
  };
  document.addEventListener("click", hold, true);
  // What was dropped can be asked for during the event only: files, and folders as entries.
  for (const name of ["dragover", "drop"]) {
    document.addEventListener(name, (event) => {
      const place = event.target.closest("[data-takes-files]");
      if (!place) return;
      event.preventDefault();
      if (name === "dragover") return;
      const { items, files } = event.dataTransfer;
      const entries = [...items].map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
      const detail = { entries, files: [...files] };
      const give = () => place.dispatchEvent(new CustomEvent("files-dropped", { detail }));
      if (waiting) waiting.push(give);
      else give();
    });
  }
  // Modules have run by then, and htmx begins with the same event.
  document.addEventListener("DOMContentLoaded", () => setTimeout(() => {
    document.removeEventListener("click", hold, true);
    const held = waiting ?? [];
    waiting = null;
    for (const act of held) act();
  }));
})();
