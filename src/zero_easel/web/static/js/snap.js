// What an item catches on while it is moved or scaled: the line, the middle, the margins, and its neighbours' heights.

// Each place is { at, says }; returns the one nearest to one of the sides, no farther than `reach`.
const nearest = (sides, places, reach) => {
  let best = null;
  for (const side of sides)
    for (const place of places) {
      const by = place.at - side;
      if (Math.abs(by) <= reach && (!best || Math.abs(by) < Math.abs(best.by))) best = { by, place };
    }
  return best;
};

// Heights at which an item may stand or end, in px of the standard's canvas.
export const heights = (item, neighbours) => {
  const [, top, , bottom] = item.area;
  const levels = [{ at: top, says: "at the upper margin" }];
  if (item.line !== null) levels.push({ at: item.line, says: "on the line" });
  else levels.push({ at: bottom, says: "at the lower margin" });
  for (const other of neighbours) {
    const called = other.code || other.name;
    levels.push({ at: other.std[1], says: `level with the top of ${called}` });
    levels.push({ at: other.std[3], says: `level with the foot of ${called}` });
  }
  return levels;
};

// Moves a box [left, top, right, bottom]; returns by how much more it should move, and what it caught on.
export const snapMove = (box, item, neighbours, reach) => {
  const [left, , right] = item.area;
  const across =
    nearest([(box[0] + box[2]) / 2], [{ at: (left + right) / 2, says: "in the middle" }], reach) ??
    nearest([box[0]], [{ at: left, says: "at the left margin" }], reach) ??
    nearest([box[2]], [{ at: right, says: "at the right margin" }], reach);
  const down =
    nearest([(box[1] + box[3]) / 2], [{ at: (item.area[1] + item.area[3]) / 2, says: "in the middle of the height" }], item.line === null ? reach : -1) ??
    nearest([box[1], box[3]], heights(item, neighbours), reach);
  return { dx: across?.by ?? 0, dy: down?.by ?? 0, across, down };
};

// Scales a box about `foot`: returns the factor at which its top comes level with something.
export const snapScale = (box, foot, k, item, neighbours, reach) => {
  const top = foot[1] - (foot[1] - box[1]) * k;
  const found = nearest([top], heights(item, neighbours), reach);
  if (!found || foot[1] - box[1] < 1) return { k, found: null };
  return { k: (foot[1] - found.place.at) / (foot[1] - box[1]), found };
};
