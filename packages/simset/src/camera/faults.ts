import { conjugate, rotate, unprojectPixel, toMatrix, type Lens, type Quaternion } from '@tawny/core';

/**
 * What a real lens does to the light on its sensor: a Gaussian core and, for a share of it, an even veil over the frame.
 * Energy stays: what the veil takes from a point it gives to all.
 */
export function blur(light: Float32Array, width: number, height: number, sigmaPx: number, veil: number): Float32Array {
  const out = light.slice();
  if (sigmaPx > 0) {
    const reach = Math.ceil(3 * sigmaPx);
    const kernel = Array.from({ length: 2 * reach + 1 }, (_, i) =>
      Math.exp(-((i - reach) ** 2) / (2 * sigmaPx * sigmaPx)),
    );
    const sum = kernel.reduce((a, b) => a + b, 0);
    const line = (get: (k: number) => number, put: (k: number, v: number) => void, length: number) => {
      const values = Float64Array.from({ length }, (_, k) => get(k));
      for (let k = 0; k < length; k++) {
        let s = 0;
        for (let j = -reach; j <= reach; j++) s += kernel[j + reach] * values[Math.max(0, Math.min(length - 1, k + j))];
        put(k, s / sum);
      }
    };
    for (let c = 0; c < 3; c++) {
      for (let y = 0; y < height; y++)
        line(
          (x) => out[3 * (y * width + x) + c],
          (x, v) => (out[3 * (y * width + x) + c] = v),
          width,
        );
      for (let x = 0; x < width; x++)
        line(
          (y) => out[3 * (y * width + x) + c],
          (y, v) => (out[3 * (y * width + x) + c] = v),
          height,
        );
    }
  }
  if (veil > 0) {
    const mean = [0, 0, 0];
    let lit = 0;
    for (let i = 0; i < out.length; i += 3) {
      if (out[i + 1] > 0) lit++;
      for (let c = 0; c < 3; c++) mean[c] += out[i + c];
    }
    for (let i = 0; i < out.length; i += 3)
      if (out[i + 1] > 0)
        for (let c = 0; c < 3; c++) out[i + c] = (1 - veil) * out[i + c] + (veil * mean[c]) / Math.max(1, lit);
  }
  return out;
}

/** Somebody who stands in the picture: an upright ellipse of dark cloth around a heading, from the ground to a little above the horizon. Changes `light`. */
export function stampWalker(
  light: Float32Array,
  lens: Lens,
  attitude: Quaternion,
  headingDeg: number,
  widthDeg: number,
  heightDeg: number,
): Float32Array {
  const m = toMatrix(attitude);
  const back = rotate(conjugate(attitude), [
    Math.sin((headingDeg * Math.PI) / 180),
    0,
    -Math.cos((headingDeg * Math.PI) / 180),
  ]);
  if (back[2] > 0.9) return light;
  for (let y = 0; y < lens.height; y++) {
    for (let x = 0; x < lens.width; x++) {
      const d = unprojectPixel(lens, x + 0.5, y + 0.5);
      if (!d) continue;
      const wx = m[0] * d[0] + m[1] * d[1] + m[2] * d[2];
      const wy = m[3] * d[0] + m[4] * d[1] + m[5] * d[2];
      const wz = m[6] * d[0] + m[7] * d[1] + m[8] * d[2];
      const off = ((((Math.atan2(wx, -wz) * 180) / Math.PI - headingDeg + 540) % 360) - 180) / (widthDeg / 2);
      const up = ((Math.asin(Math.max(-1, Math.min(1, wy))) * 180) / Math.PI + heightDeg * 0.3) / (heightDeg / 2);
      if (off * off + up * up > 1) continue;
      const o = 3 * (y * lens.width + x);
      for (let c = 0; c < 3; c++) light[o + c] = [90, 80, 110][c] * (1 + 0.3 * Math.sin(up * 9));
    }
  }
  return light;
}

const held = (v: number, most: number) => Math.max(0, Math.min(most - 1, v));

/** A picture moved by whole and part pixels (bilinear, its border held). */
export function shifted(light: Float32Array, width: number, height: number, dx: number, dy: number): Float32Array {
  const out = new Float32Array(light.length);
  const [ix, iy] = [Math.floor(dx), Math.floor(dy)];
  const [tx, ty] = [dx - ix, dy - iy];
  for (let y = 0; y < height; y++) {
    const below = width * held(y - iy, height);
    const above = width * held(y - iy - 1, height);
    for (let x = 0; x < width; x++) {
      const right = held(x - ix, width);
      const left = held(x - ix - 1, width);
      for (let c = 0; c < 3; c++)
        out[3 * (y * width + x) + c] =
          (light[3 * (below + right) + c] * (1 - tx) + light[3 * (below + left) + c] * tx) * (1 - ty) +
          (light[3 * (above + right) + c] * (1 - tx) + light[3 * (above + left) + c] * tx) * ty;
    }
  }
  return out;
}
