import { Matrix, SingularValueDecomposition } from 'ml-matrix';

/** Row-major 3 x 3 that takes points of a plane to pixels: `(x, y, w) = h (u, v, 1)`. */
export type Homography = readonly number[];
export type Point = readonly [number, number];

/** The pixel of a point of the plane. */
export function mapPoint(h: Homography, [u, v]: Point): [number, number] {
  const w = h[6] * u + h[7] * v + h[8];
  return [(h[0] * u + h[1] * v + h[2]) / w, (h[3] * u + h[4] * v + h[5]) / w];
}

/** Moves points so that they lie about zero at a distance of one: the system stays well conditioned (Hartley 1997). */
function normaliser(points: readonly Point[]): Matrix {
  const n = points.length;
  const [cx, cy] = [0, 1].map((k) => points.reduce((s, p) => s + p[k], 0) / n);
  const spread = points.reduce((s, p) => s + Math.hypot(p[0] - cx, p[1] - cy), 0) / n || 1;
  const k = Math.SQRT2 / spread;
  return new Matrix([
    [k, 0, -k * cx],
    [0, k, -k * cy],
    [0, 0, 1],
  ]);
}

/**
 * The homography of least algebraic error through pairs of points (direct linear transformation).
 * @param plane at least four, no three on a line
 * @throws RangeError when there are fewer than four
 */
export function fitHomography(plane: readonly Point[], pixels: readonly Point[]): Homography {
  if (plane.length < 4 || plane.length !== pixels.length)
    throw new RangeError('a homography needs four pairs of points');
  const [a, b] = [normaliser(plane), normaliser(pixels)];
  const at = (m: Matrix, [x, y]: Point): Point => [m.get(0, 0) * x + m.get(0, 2), m.get(1, 1) * y + m.get(1, 2)];
  const rows = plane.flatMap((p, k) => {
    const [u, v] = at(a, p);
    const [x, y] = at(b, pixels[k]);
    return [
      [u, v, 1, 0, 0, 0, -x * u, -x * v, -x],
      [0, 0, 0, u, v, 1, -y * u, -y * v, -y],
    ];
  });
  // Eight equations of nine unknowns: a row of zeros completes the square.
  while (rows.length < 9) rows.push(new Array<number>(9).fill(0));
  const { rightSingularVectors } = new SingularValueDecomposition(new Matrix(rows), { autoTranspose: true });
  const h = Matrix.from1DArray(3, 3, rightSingularVectors.getColumn(8));
  const inverseB = new Matrix([
    [1 / b.get(0, 0), 0, -b.get(0, 2) / b.get(0, 0)],
    [0, 1 / b.get(1, 1), -b.get(1, 2) / b.get(1, 1)],
    [0, 0, 1],
  ]);
  const flat = inverseB.mmul(h).mmul(a).to1DArray();
  return flat.map((v) => v / flat[8]);
}

/** The way back, pixels to the plane. @throws RangeError when the plane is seen edge on */
export function inverseHomography(h: Homography): Homography {
  const [a, b, c, d, e, f, g, i, j] = h;
  const det = a * (e * j - f * i) - b * (d * j - f * g) + c * (d * i - e * g);
  if (!(Math.abs(det) > 1e-14)) throw new RangeError('the four corners lie on a line');
  return [
    e * j - f * i,
    c * i - b * j,
    b * f - c * e,
    f * g - d * j,
    a * j - c * g,
    c * d - a * f,
    d * i - e * g,
    b * g - a * i,
    a * e - b * d,
  ].map((v) => v / det);
}
