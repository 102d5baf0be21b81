import type { RgbImage } from '../image/image';
import { UNSEEN } from '../sphere/mask';

/**
 * Fills what no view saw (UNSEEN in the mask) from around it by averaging down a pyramid and back (pull and push, after Gortler et al. 1996): smooth, and said to
 * be made up, for the mask stays. Changes the panorama.
 */
export function fillHoles(panorama: RgbImage, mask: Uint8Array): void {
  const fill = (data: Float32Array, weight: Float32Array, width: number, height: number): void => {
    if (width <= 2 || height <= 1) return;
    const w = Math.ceil(width / 2);
    const h = Math.ceil(height / 2);
    const small = new Float32Array(w * h * 3);
    const smallWeight = new Float32Array(w * h);
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const i = y * width + x;
        if (weight[i] === 0) continue;
        const o = (y >> 1) * w + (x >> 1);
        smallWeight[o] += weight[i];
        for (let c = 0; c < 3; c++) small[3 * o + c] += weight[i] * data[3 * i + c];
      }
    }
    for (let o = 0; o < w * h; o++) {
      if (smallWeight[o] === 0) continue;
      for (let c = 0; c < 3; c++) small[3 * o + c] /= smallWeight[o];
      smallWeight[o] = Math.min(1, smallWeight[o]);
    }
    if (smallWeight.some((v) => v === 0)) fill(small, smallWeight, w, h);
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const i = y * width + x;
        if (weight[i] > 0) continue;
        const fx = (x - 0.5) / 2;
        const fy = Math.max(0, Math.min(h - 1, (y - 0.5) / 2));
        const xa = Math.floor(fx);
        const ya = Math.floor(fy);
        const [tx, ty] = [fx - xa, fy - ya];
        const yb = Math.min(h - 1, ya + 1);
        const [x0, x1] = [((xa % w) + w) % w, (((xa + 1) % w) + w) % w];
        for (let c = 0; c < 3; c++) {
          data[3 * i + c] =
            (small[3 * (ya * w + x0) + c] * (1 - tx) + small[3 * (ya * w + x1) + c] * tx) * (1 - ty) +
            (small[3 * (yb * w + x0) + c] * (1 - tx) + small[3 * (yb * w + x1) + c] * tx) * ty;
        }
        weight[i] = 1;
      }
    }
  };
  if (!mask.some((m) => m === UNSEEN)) return;
  fill(
    panorama.data,
    Float32Array.from(mask, (m) => (m === UNSEEN ? 0 : 1)),
    panorama.width,
    panorama.height,
  );
}
