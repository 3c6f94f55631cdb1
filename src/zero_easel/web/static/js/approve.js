// Approving on a telephone or by keys: swipe or arrow for the next picture, Y for yes, N for no, and a dot where it is wrong.
const form = document.querySelector(".approve-form");
const figure = document.querySelector(".approve-picture");
const go = (rel) => document.querySelector(`a[rel=${rel}]`)?.click();

if (form && figure) {
  const dot = figure.querySelector(".approve-dot");
  const [x, y] = [form.elements.x, form.elements.y];
  const box = form.querySelector("[data-dot]");
  const why = form.querySelector("details");
  const draw = () => {
    // Only a dot that is there is sent.
    x.disabled = y.disabled = !box.checked;
    dot.hidden = !box.checked;
    dot.style.left = `${100 * Number(x.value)}%`;
    dot.style.top = `${100 * Number(y.value)}%`;
  };
  const put = (across, down) => {
    why.open = true;
    box.checked = true;
    [x.value, y.value] = [across.toFixed(2), down.toFixed(2)];
    draw();
  };
  const picture = figure.querySelector("img");
  let from = null;
  figure.addEventListener("pointerdown", (event) => (from = [event.clientX, event.clientY]));
  figure.addEventListener("pointerup", (event) => {
    if (!from) return;
    const [across, down] = [event.clientX - from[0], event.clientY - from[1]];
    from = null;
    if (Math.abs(across) > 60 && Math.abs(across) > 2 * Math.abs(down)) return go(across < 0 ? "next" : "prev");
    if (Math.hypot(across, down) > 10) return;
    const at = picture.getBoundingClientRect();
    put((event.clientX - at.left) / at.width, (event.clientY - at.top) / at.height);
  });
  for (const one of [x, y, box]) one.addEventListener("input", draw);
  draw();

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input, textarea, select")) return;
    if (event.key === "ArrowRight") go("next");
    else if (event.key === "ArrowLeft") go("prev");
    else if (event.key === "y") form.querySelector(".approve-yes").click();
    else if (event.key === "n") (why.open = true), form.elements.words.focus();
    else return;
    event.preventDefault();
  });
}
