import type { ResponseSample } from './response';

/** Largest difference of neighbouring codes inside a flat place. */
const FLAT = 6;

/**
 * Flat places of one bracket, spread over the picture and over its brightness: what `recoverResponse` learns from.
 * @param codes interleaved RGB of every frame
 * @param rungs index of every frame's exposure
 * @param most places to take a channel
 */
export function sampleResponse(codes: readonly Uint8Array[], rungs: readonly number[], width: number, height: number, most: number): [ResponseSample[], ResponseSample[], ResponseSample[]] {
  const out: [ResponseSample[], ResponseSample[], ResponseSample[]] = [[], [], []];
  const step = Math.max(3, Math.floor(Math.sqrt((width * height) / (most * 24))));
  const taken = [0, 1, 2].map(() => new Map<number, number>());
  const perBin = Math.ceil(most / 10);
  for (let y = 2; y < height - 2; y += step) {
    for (let x = 2; x < width - 2; x += step) {
      for (let c = 0; c < 3; c++) {
        const i = 3 * (y * width + x) + c;
        const flat = codes.every((f) => {
          const v = f[i];
          if (v <= 2 || v >= 253) return true;
          return Math.abs(f[i - 3] - v) <= FLAT && Math.abs(f[i + 3] - v) <= FLAT && Math.abs(f[i - 3 * width] - v) <= FLAT && Math.abs(f[i + 3 * width] - v) <= FLAT;
        });
        if (!flat) continue;
        // The mean of five pixels, so that rounding averages out where noise dithers it.
        const mean = codes.map((f) => Math.round((f[i] + f[i - 3] + f[i + 3] + f[i - 3 * width] + f[i + 3 * width]) / 5));
        const inside = mean.filter((v) => v >= 4 && v <= 251).length;
        if (inside < 2) continue;
        // Spread over brightness: bins of the sum of codes.
        const bin = Math.floor(mean.reduce((s, v) => s + v, 0) / (25.6 * codes.length));
        const n = taken[c].get(bin) ?? 0;
        if (n >= perBin || out[c].length >= most) continue;
        taken[c].set(bin, n + 1);
        out[c].push({ rungs: [...rungs], codes: mean });
      }
    }
  }
  return out;
}
