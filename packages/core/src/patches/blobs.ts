import type { RgbImage } from '../image/image';

/** An even, compact region: its middle in pixels, its area, and how wide it is across. */
export interface Blob {
  x: number;
  y: number;
  area: number;
  /** Side of a square of that area. */
  size: number;
}

/** Steps of brightness and colour below which neighbours are one region, in stops. */
const LEVELS = [0.06, 0.12, 0.22, 0.4];
/** Of the brightest: what darkness counts as the same. */
const FLOOR = 0.004;
/** Area over that of the parallelogram of the same moments: a patch is near 1, a region with arms far below. */
const COMPACT = [0.78, 1.14] as const;

/** Logarithms of the three channels, with a floor; interleaved. */
function logarithms(image: RgbImage): Float32Array {
  const { data } = image;
  const sample = new Float64Array(4096);
  const step = data.length / sample.length;
  for (let k = 0; k < sample.length; k++) sample[k] = data[Math.floor(k * step)];
  sample.sort();
  const floor = FLOOR * Math.max(1e-9, sample[Math.floor(0.98 * sample.length)]);
  // `Float32Array.from` with a function makes a list of numbers first.
  const out = new Float32Array(data.length);
  for (let i = 0; i < out.length; i++) out[i] = Math.log2(Math.max(0, data[i]) + floor);
  return out;
}

/** A 3 x 3 mean of interleaved channels; the border stays. */
function softened(values: Float32Array, width: number): Float32Array {
  const rows = values.slice();
  for (let i = 3; i < values.length - 3; i++) rows[i] = (values[i - 3] + values[i] + values[i + 3]) / 3;
  const out = rows.slice();
  const line = 3 * width;
  for (let i = line; i < values.length - line; i++) out[i] = (rows[i - line] + rows[i] + rows[i + line]) / 3;
  return out;
}

/**
 * Even regions of a picture that are about as compact as a patch, from several levels of evenness; the same region of two levels is one.
 * @param least, most area in pixels
 */
export function findBlobs(image: RgbImage, least: number, most: number): Blob[] {
  const { width, height } = image;
  const log = softened(logarithms(image), width);
  // How much each pixel differs from those about it, at most, over all channels.
  const unrest = new Float32Array(width * height).fill(Infinity);
  for (let y = 1; y < height - 1; y++)
    for (let x = 1; x < width - 1; x++) {
      let most = 0;
      const o = 3 * (y * width + x);
      for (let c = 0; c < 3; c++) {
        const dx = Math.abs(log[o + 3 + c] - log[o - 3 + c]);
        const dy = Math.abs(log[o + 3 * width + c] - log[o - 3 * width + c]);
        most = Math.max(most, dx, dy);
      }
      unrest[y * width + x] = most;
    }
  const blobs: Blob[] = [];
  const seen = new Int32Array(width * height);
  const stack = new Int32Array(width * height);
  LEVELS.forEach((level, pass) => {
    for (let start = 0; start < unrest.length; start++) {
      if (unrest[start] > level || seen[start] === pass + 1) continue;
      let [top, area, sx, sy, sxx, syy, sxy] = [0, 0, 0, 0, 0, 0, 0];
      stack[top++] = start;
      seen[start] = pass + 1;
      while (top > 0) {
        const p = stack[--top];
        const x = p % width;
        const y = (p / width) | 0;
        area++;
        sx += x;
        sy += y;
        sxx += x * x;
        syy += y * y;
        sxy += x * y;
        for (let k = 0; k < 4; k++) {
          const q = p + (k === 0 ? -1 : k === 1 ? 1 : k === 2 ? -width : width);
          if (!(unrest[q] <= level) || seen[q] === pass + 1) continue;
          seen[q] = pass + 1;
          stack[top++] = q;
        }
      }
      if (area < least || area > most) continue;
      const [mx, my] = [sx / area, sy / area];
      const [cxx, cyy, cxy] = [sxx / area - mx * mx, syy / area - my * my, sxy / area - mx * my];
      const compact = area / (12 * Math.sqrt(Math.max(1e-9, cxx * cyy - cxy * cxy)));
      if (compact < COMPACT[0] || compact > COMPACT[1]) continue;
      // Long and thin is no patch.
      const half = (cxx + cyy) / 2;
      const apart = Math.sqrt(Math.max(0, half * half - (cxx * cyy - cxy * cxy)));
      if (half + apart > 16 * Math.max(1e-9, half - apart)) continue;
      const blob = { x: mx + 0.5, y: my + 0.5, area, size: Math.sqrt(area) };
      const same = blobs.findIndex((b) => Math.hypot(b.x - blob.x, b.y - blob.y) < 0.25 * Math.min(b.size, blob.size));
      if (same < 0) blobs.push(blob);
      else if (blob.area > blobs[same].area && blob.area < 2.5 * blobs[same].area) blobs[same] = blob;
    }
  });
  return blobs;
}
