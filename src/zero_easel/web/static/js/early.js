// A page is read and pressed before its scripts are there: presses of buttons that only scripts answer wait for them.
// This one is no module, and the first of all, so that it hears from the start.
(() => {
  const pressed = [];
  const hold = (event) => {
    const button = event.target.closest("button[type=button]");
    if (!button) return;
    event.stopImmediatePropagation();
    pressed.push(button);
  };
  document.addEventListener("click", hold, true);
  // Modules have run by then, and htmx begins with the same event.
  document.addEventListener("DOMContentLoaded", () => setTimeout(() => {
    document.removeEventListener("click", hold, true);
    for (const button of pressed) if (button.isConnected) button.click();
  }));
})();
