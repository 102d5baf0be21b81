/** How much brighter the shorter of two frames of a view is than its exposure says, as the pixels tell that both hold. */
export interface HeldRatio {
  /** Median over the pixels, stops. */
  stops: number;
  /** Robust sigma of one pixel, stops. */
  spread: number;
  pixels: number;
}

/** A darker pixel has few codes and much noise. */
const LEAST_LEVEL = 0.01;
/** Ratios are counted in steps of this, up to so many stops beside what the exposures say. */
const STEP_STOPS = 1 / 256;
const MOST_STOPS = 4;
const BINS = 2 * Math.round(MOST_STOPS / STEP_STOPS) + 1;
/** Sigmas of a normal distribution between its quartiles. */
const QUARTILES = 1.349;

/**
 * Compares two pictures of one view pixel by pixel: small lights, which a glance blends with what is around them, tell it as well as broad areas.
 * @param shorter,longer linear levels, 0 to 1, one a pixel; 1 where any channel is cut off
 * @param statedStops exposure of the shorter over the longer, negative
 * @returns null when no pixel is held by both
 */
export function heldRatio(shorter: Float32Array, longer: Float32Array, statedStops: number): HeldRatio | null {
  const counts = new Uint32Array(BINS);
  let pixels = 0;
  for (let p = 0; p < shorter.length; p++) {
    if (!(shorter[p] > LEAST_LEVEL) || longer[p] >= 1 || !(longer[p] > 0)) continue;
    const off = Math.log2(shorter[p] / longer[p]) - statedStops;
    if (!(Math.abs(off) < MOST_STOPS)) continue;
    counts[Math.round((off + MOST_STOPS) / STEP_STOPS)]++;
    pixels++;
  }
  if (pixels === 0) return null;
  const at = (share: number) => {
    let sum = 0;
    const bin = counts.findIndex((n) => (sum += n) > share * pixels);
    return bin * STEP_STOPS - MOST_STOPS;
  };
  return { stops: at(0.5), spread: (at(0.75) - at(0.25)) / QUARTILES, pixels };
}
