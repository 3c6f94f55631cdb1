// Where the stored cutout is doubtful: a saffron outline, hatched where what it holds could be either.

let stripes = null;

// A pattern of stripes that rise to the right, `side` px apart; without a ground they stand on what is there.
export const striped = (pen, side, colour, width, ground = "") => {
  const patch = new OffscreenCanvas(side, side);
  const context = patch.getContext("2d");
  context.fillStyle = ground;
  if (ground) context.fillRect(0, 0, side, side);
  context.strokeStyle = colour;
  context.lineWidth = width;
  for (const d of [-side, 0, side]) {
    context.moveTo(d - 2, side + 2);
    context.lineTo(d + side + 2, -2);
  }
  context.stroke();
  return pen.createPattern(patch, "repeat");
};

// Draws [path, open] in px of the photo; scale: of the screen against the photo.
export const drawDoubts = (pen, places, scale) => {
  stripes ??= striped(pen, 8, "#e39a00", 1.5);
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
