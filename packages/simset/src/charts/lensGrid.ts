/** A real lens: Brown-Conrady, ideal to distorted, coefficients k1 k2 p1 p2 k3 (CONVENTIONS.md section 5). */
export type Distortion = readonly [number, number, number, number, number];

/** Normalised ideal coordinates to where the lens puts them. */
export function distort([k1, k2, p1, p2, k3]: Distortion, x: number, y: number): [number, number] {
  const r2 = x * x + y * y;
  const radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3));
  return [x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x), y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y];
}

/** Inverse of `distort` by fixed-point steps; good to 1e-9 for the distortions of camera lenses. */
export function undistort(d: Distortion, x: number, y: number): [number, number] {
  let [u, v] = [x, y];
  for (let k = 0; k < 40; k++) {
    const [a, b] = distort(d, u, v);
    [u, v] = [u + x - a, v + y - b];
  }
  return [u, v];
}

export interface LensGridInput {
  width: number;
  height: number;
  /** Focal length in pixels. */
  focalPx: number;
  distortion: Distortion;
  /** Lines across the picture's width. */
  lines: number;
  /** Turn of the board against the camera, degrees. */
  turnDeg: number;
}

/** A flat board of dark lines on white that fills the picture, seen through a distorting lens. @returns interleaved 8-bit RGB codes */
export function drawLensGrid({ width, height, focalPx, distortion, lines, turnDeg }: LensGridInput): Uint8Array {
  const out = new Uint8Array(width * height * 3);
  const pitch = width / focalPx / lines;
  const half = 0.06 * pitch;
  const [c, s] = [Math.cos((turnDeg * Math.PI) / 180), Math.sin((turnDeg * Math.PI) / 180)];
  const soft = 1 / focalPx;
  const line = (v: number) => {
    const off = Math.abs(v - Math.round(v / pitch) * pitch);
    return Math.max(0, Math.min(1, (off - half) / soft + 0.5));
  };
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const [u, v] = undistort(distortion, (x + 0.5 - width / 2) / focalPx, (y + 0.5 - height / 2) / focalPx);
      const ink = Math.min(line(u * c + v * s), line(v * c - u * s));
      const code = Math.round(28 + 190 * ink * (1 - 0.15 * (u * u + v * v)));
      for (let k = 0; k < 3; k++) out[3 * (y * width + x) + k] = code;
    }
  }
  return out;
}
