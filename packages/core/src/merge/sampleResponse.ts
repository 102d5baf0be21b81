import type { ResponseSample } from './response';

/** Largest difference of neighbouring codes inside a flat place: some codes, and a share of the code. */
const FLAT_CODES = 6;
const FLAT_SHARE = 0.08;
/** Places looked at for every one that is wanted. */
const LOOKS = 60;
/** Brightness classes that places are spread over. */
const CLASSES = 24;

/**
 * Flat places of one bracket, spread evenly over the picture and over its brightness: what `recoverResponse` learns from.
 * @param codes interleaved RGB of every frame
 * @param rungs index of every frame's exposure
 * @param most places to take a channel
 */
export function sampleResponse(
  codes: readonly Uint8Array[],
  rungs: readonly number[],
  width: number,
  height: number,
  most: number,
): [ResponseSample[], ResponseSample[], ResponseSample[]] {
  const out: [ResponseSample[], ResponseSample[], ResponseSample[]] = [[], [], []];
  const taken = [0, 1, 2].map(() => new Float64Array(CLASSES));
  const perClass = Math.ceil((2 * most) / CLASSES);
  const looks = Math.min(most * LOOKS, width * height);
  for (let k = 0; k < looks; k++) {
    // The R2 sequence visits the picture evenly at every stage.
    const x = 2 + Math.floor(((0.5 + k * 0.7548776662466927) % 1) * (width - 4));
    const y = 2 + Math.floor(((0.5 + k * 0.5698402909980532) % 1) * (height - 4));
    for (let c = 0; c < 3; c++) {
      if (out[c].length >= most) continue;
      const i = 3 * (y * width + x) + c;
      let inside = 0;
      let sum = 0;
      let flat = true;
      for (let k = 0; flat && k < codes.length; k++) {
        const m = meanAt(codes[k], i, width);
        sum += m;
        if (m < 6 || m > 251) continue;
        inside++;
        flat = flatAt(codes[k], i, width);
      }
      if (inside < 2 || !flat) continue;
      const kind = Math.min(CLASSES - 1, Math.floor((sum * CLASSES) / (256 * codes.length)));
      if (taken[c][kind] >= perClass) continue;
      taken[c][kind]++;
      out[c].push({ rungs: [...rungs], codes: codes.map((f) => meanAt(f, i, width)) });
    }
  }
  return out;
}

/** A sample and its four neighbours of the same channel together. */
const meanAt = (f: Uint8Array, i: number, width: number): number =>
  Math.round((f[i] + f[i - 3] + f[i + 3] + f[i - 3 * width] + f[i + 3 * width]) / 5);

/** Whether no neighbour of a sample differs by more than a place may that is taken for even. */
function flatAt(f: Uint8Array, i: number, width: number): boolean {
  const v = f[i];
  const limit = FLAT_CODES + FLAT_SHARE * v;
  return (
    Math.abs(f[i - 3] - v) <= limit &&
    Math.abs(f[i + 3] - v) <= limit &&
    Math.abs(f[i - 3 * width] - v) <= limit &&
    Math.abs(f[i + 3 * width] - v) <= limit
  );
}
