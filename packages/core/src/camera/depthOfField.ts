export interface DepthOfField {
  /** Metres from the sensor plane's object distance convention of CONVENTIONS.md section 5. */
  nearM: number;
  /** Infinity when everything behind is sharp. */
  farM: number;
  hyperfocalM: number;
}

/**
 * Depth of field of a lens focused at `focusM` metres from the sensor plane. CONVENTIONS.md section 5:
 * `u = (s + sqrt(s^2 - 4 f s)) / 2`, `H = f^2 / (N c) + f`. N is the f-number, never the T-stop.
 * @param circleMm circle of confusion
 * @throws RangeError for values that no lens has, or a focus distance nearer than four focal lengths (no image is formed)
 */
export function depthOfField(focalMm: number, fNumber: number, focusM: number, circleMm: number): DepthOfField {
  for (const [name, v] of [
    ['focal length', focalMm],
    ['f-number', fNumber],
    ['focus distance', focusM],
    ['circle of confusion', circleMm],
  ] as const) {
    if (!(v > 0) || !Number.isFinite(v)) throw new RangeError(`${name} must be a positive number, not ${v}`);
  }
  const s = focusM * 1000;
  const f = focalMm;
  if (s < 4 * f) throw new RangeError(`a ${f} mm lens forms no image of something ${focusM} m from its sensor`);
  const u = (s + Math.sqrt(s * s - 4 * f * s)) / 2;
  const h = (f * f) / (fNumber * circleMm) + f;
  return {
    nearM: (u * (h - f)) / (h + u - 2 * f) / 1000,
    farM: u >= h ? Infinity : (u * (h - f)) / (h - u) / 1000,
    hyperfocalM: h / 1000,
  };
}

/** Diagonal of full-frame stills film (36 x 24 mm) over that of a window: how much narrower it sees. */
export function cropFactor(widthMm: number, heightMm: number): number {
  if (!(widthMm > 0) || !(heightMm > 0)) throw new RangeError('the sensor window must have positive sides');
  return Math.hypot(36, 24) / Math.hypot(widthMm, heightMm);
}
