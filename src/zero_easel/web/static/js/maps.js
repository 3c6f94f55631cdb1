// Affine maps as six numbers in the order of CSS's matrix(): x' = a x + c y + e, y' = b x + d y + f.

/** @typedef {number[]} Matrix six numbers */
/** @typedef {number[]} Point two numbers */

/** @type {(first: Matrix, after: Matrix) => Matrix} */
export const then = (first, after) => {
  const [a, b, c, d, e, f] = first;
  const [A, B, C, D, E, F] = after;
  return [A * a + C * b, B * a + D * b, A * c + C * d, B * c + D * d, A * e + C * f + E, B * e + D * f + F];
};

/** @type {(matrix: Matrix, point: Point) => Point} */
export const apply = ([a, b, c, d, e, f], [x, y]) => [a * x + c * y + e, b * x + d * y + f];

/** @type {(matrix: Matrix) => Matrix} */
export const inverse = ([a, b, c, d, e, f]) => {
  const size = a * d - b * c;
  return [d / size, -b / size, -c / size, a / size, (c * f - d * e) / size, (b * e - a * f) / size];
};

/** @type {(point: Point, scale: number) => Matrix} */
export const about = ([x, y], k) => [k, 0, 0, k, x - k * x, y - k * y];

/** @type {(dx: number, dy: number) => Matrix} */
export const moved = (dx, dy) => [1, 0, 0, 1, dx, dy];
