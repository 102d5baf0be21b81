/** Brown-Conrady, ideal to distorted, coefficients k1 k2 p1 p2 k3 on normalised coordinates (x right, y down). CONVENTIONS.md section 5. */
export type Distortion = readonly [number, number, number, number, number];

/** Normalised ideal coordinates to where the lens puts them. */
export function distort([k1, k2, p1, p2, k3]: Distortion, x: number, y: number): [number, number] {
  const r2 = x * x + y * y;
  const radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3));
  return [x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x), y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y];
}

/**
 * Inverse of `distort` by Newton steps: where a ray that the lens put at (x, y) would lie without distortion.
 * @returns null where no ideal ray near the picture reaches it (the polynomial has turned back)
 */
export function undistort(d: Distortion, x: number, y: number): [number, number] | null {
  const [k1, k2, p1, p2, k3] = d;
  let [u, v] = [x, y];
  for (let pass = 0; pass < 20; pass++) {
    const [a, b] = distort(d, u, v);
    const [ex, ey] = [a - x, b - y];
    if (Math.abs(ex) + Math.abs(ey) < 1e-13) return [u, v];
    const r2 = u * u + v * v;
    const radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3));
    const slope = 2 * (k1 + r2 * (2 * k2 + r2 * 3 * k3));
    const xx = radial + slope * u * u + 2 * p1 * v + 6 * p2 * u;
    const xy = slope * u * v + 2 * p1 * u + 2 * p2 * v;
    const yy = radial + slope * v * v + 6 * p1 * v + 2 * p2 * u;
    const determinant = xx * yy - xy * xy;
    if (!(determinant > 1e-3)) return null;
    u -= (yy * ex - xy * ey) / determinant;
    v -= (xx * ey - xy * ex) / determinant;
  }
  const [a, b] = distort(d, u, v);
  return Math.hypot(a - x, b - y) < 1e-9 ? [u, v] : null;
}
