// Wipes between a photo and its cutout; B jumps from one end to the other.

const range = document.querySelector("#wipe-range");
if (range) {
  const svg = document.querySelector("#wipe");
  const rect = document.querySelector("#wipe-rect");
  const line = document.querySelector("#wipe-line");
  const width = Number(svg.dataset.width);
  const draw = () => {
    const x = (width * range.value) / 1000;
    rect.setAttribute("width", x);
    for (const end of ["x1", "x2"]) line.setAttribute(end, x);
  };
  range.addEventListener("input", draw);
  document.addEventListener("keydown", (event) => {
    if (event.key !== "b" || event.ctrlKey || event.metaKey || event.altKey) return;
    range.value = range.value > 500 ? 0 : 1000;
    draw();
  });
  svg.addEventListener("pointerdown", (event) => {
    const follow = (move) => {
      const box = svg.getScreenCTM();
      range.value = Math.round((1000 * (move.clientX - box.e)) / box.a / width);
      draw();
    };
    follow(event);
    svg.setPointerCapture(event.pointerId);
    svg.onpointermove = follow;
    svg.onpointerup = () => (svg.onpointermove = null);
  });
}
