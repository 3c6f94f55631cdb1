// Where the stored cutout is doubtful: a saffron outline, hatched where what it holds could be either.

let stripes = null;
function striped(pen) {
  const patch = new OffscreenCanvas(8, 8);
  const context = patch.getContext("2d");
  context.strokeStyle = "#e39a00";
  context.lineWidth = 1.5;
  for (const d of [-8, 0, 8]) {
    context.moveTo(d - 2, 10);
    context.lineTo(d + 10, -2);
  }
  context.stroke();
  return pen.createPattern(patch, "repeat");
}

// Draws [path, open] in px of the photo; scale: of the screen against the photo.
export const drawDoubts = (pen, places, scale) => {
  stripes ??= striped(pen);
  stripes.setTransform(new window.DOMMatrix().scale(1 / scale));
  pen.lineJoin = "round";
  for (const [path, open] of places) {
    const outline = new Path2D(path);
    pen.fillStyle = stripes;
    if (open) pen.fill(outline);
    for (const [colour, width] of Object.entries({ "#ffffff": 3.5, "#e39a00": 2 })) {
      pen.strokeStyle = colour;
      pen.lineWidth = width / scale;
      pen.stroke(outline);
    }
  }
};
