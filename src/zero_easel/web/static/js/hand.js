// What a person has in hand while parts of the page are drawn anew: a button that is held down would lose its press with its
// place on the page, one that the keyboard is at would lose the keyboard.
const waiting = [];
let down = false;

const release = () =>
  // The click comes after the release.
  setTimeout(() => {
    down = false;
    for (const go of waiting.splice(0)) go();
  });

document.addEventListener("pointerdown", () => (down = true), true);
document.addEventListener("keydown", ({ key }) => key === " " && (down = true), true);
for (const end of ["pointerup", "pointercancel", "keyup"]) document.addEventListener(end, () => down && release(), true);
window.addEventListener("blur", release);

export const isHeld = () => down;
export const onRelease = (then) => waiting.push(then);
export const released = () => (down ? new Promise((then) => waiting.push(then)) : Promise.resolve());

// To be called before a part is drawn anew; what it returns puts the keyboard back to where it was.
export const keyboard = () => {
  const at = document.activeElement;
  const alike = (other) =>
    at.id ? other.id === at.id : other.textContent === at.textContent &&
      ["name", "value", "href"].every((key) => other.getAttribute(key) === at.getAttribute(key));
  return () => document.contains(at) || [...document.querySelectorAll(at.tagName)].find(alike)?.focus({ preventScroll: true });
};
