import { createImage, RELATIVE_REC709, type RgbImage } from '@tawny/core';
import { createRandom } from '../random';

export interface GrainPlate {
  /** Sigma of a channel at a level of 1 times the root of the level, and of the dark. */
  shot?: number;
  dark?: number;
  blurPx?: number;
  /** Sigma of the grain's own blur. */
  coarsePx?: number;
  /** Share of grain that the channels have in common. */
  common?: number;
  lift?: number;
  seed?: number;
}

function blurred(plane: Float32Array, width: number, height: number, sigma: number): Float32Array {
  if (sigma === 0) return plane;
  const reach = Math.ceil(4 * sigma);
  const kernel = Array.from({ length: 2 * reach + 1 }, (_, k) => Math.exp(-(((k - reach) / sigma) ** 2) / 2));
  const total = kernel.reduce((s, v) => s + v, 0);
  let from = plane;
  for (const [dx, dy] of [
    [1, 0],
    [0, 1],
  ]) {
    const out = new Float32Array(plane.length);
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++)
        for (let k = -reach; k <= reach; k++) {
          const i = Math.min(width - 1, Math.max(0, x + k * dx));
          const j = Math.min(height - 1, Math.max(0, y + k * dy));
          out[y * width + x] += (from[j * width + i] * kernel[k + reach]) / total;
        }
    from = out;
  }
  return from;
}

/** A wall of slanted panels from dark to bright with a strip of texture: blurred, lifted, with grain of a known strength, size and kinship of channels. */
export function grainPlate({
  shot = 0,
  dark = 0,
  blurPx = 0.6,
  coarsePx = 0,
  common = 0,
  lift = 0,
  seed = 1,
}: GrainPlate): RgbImage {
  const [width, height] = [480, 320];
  const light = new Float32Array(width * height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const column = Math.floor((x + 0.13 * y) / 80);
      const row = Math.floor((y - 0.08 * x + 40) / 110);
      let v = [0.02, 0.06, 0.18, 0.4, 0.1, 0.3, 0.03][(column + 2 * row) % 7] * (0.9 + (0.2 * x) / width);
      if (y > 280) v *= 1 + 0.5 * Math.sin(x / 3) * Math.sin(y / 2);
      light[y * width + x] = v;
    }
  const soft = blurred(light, width, height, blurPx);
  const random = createRandom(seed, 'plate with grain');
  const field = () => {
    const noise = blurred(
      Float32Array.from({ length: width * height }, () => random.normal()),
      width,
      height,
      coarsePx,
    );
    const sigma = Math.sqrt(noise.reduce((s, v) => s + v * v, 0) / noise.length);
    return noise.map((v) => v / sigma);
  };
  const shared = common > 0 ? field() : null;
  const image = createImage(width, height, RELATIVE_REC709);
  for (let c = 0; c < 3; c++) {
    const own = shot + dark > 0 ? field() : null;
    for (let p = 0; p < soft.length; p++) {
      const noise = (Math.sqrt(common) * (shared?.[p] ?? 0) + Math.sqrt(1 - common) * (own?.[p] ?? 0)) * Math.sqrt(shot * shot * soft[p] + dark * dark); // prettier-ignore
      image.data[3 * p + c] = soft[p] + noise + lift;
    }
  }
  return image;
}
