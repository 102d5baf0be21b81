/**
 * Float frames of one bracket as 16-bit linear codes, so that the one merge serves them too (its rounding, 1/65535, lies far below a sensor's read noise).
 * Developed files put the full well at 1 or, with headroom, above it: the common white is the largest value of the bracket, at least 1.
 * Radiance is `code / 65535 * white / X`.
 * @throws RangeError when a value is not a number
 */
export function codesFromFloats(frames: readonly Float32Array[]): { codes: Uint16Array[]; white: number } {
  let white = 1;
  for (const data of frames) {
    for (let i = 0; i < data.length; i++) {
      if (!Number.isFinite(data[i]))
        throw new RangeError(`holds a value that is not a number at pixel ${Math.floor(i / 3)}`);
      if (data[i] > white) white = data[i];
    }
  }
  const codes = frames.map((data) => {
    const out = new Uint16Array(data.length);
    const scale = 65535 / white;
    for (let i = 0; i < data.length; i++) {
      const v = data[i];
      out[i] = v > 0 ? v * scale + 0.5 : 0;
    }
    return out;
  });
  return { codes, white };
}

/** Samples at the very maximum of a lone float frame: as many as this are a flat top, not a peak. */
const FLAT_TOP = 12;

/**
 * A lone float frame is radiance already, in whatever unit: it is only divided by its exposure. Flat tops at a channel's maximum count as clipped.
 * @param into receives 3 floats and a byte a pixel
 * @returns the radiance at which it clips (Infinity without a flat top) and whether anything was cut
 */
export function takeFloats(
  data: Float32Array,
  exposure: number,
  into: { pixels: Float32Array; clipped: Uint8Array },
): { clipLevel: number } {
  const top = [0, 0, 0];
  for (let i = 0; i < data.length; i++) {
    if (!Number.isFinite(data[i]))
      throw new RangeError(`holds a value that is not a number at pixel ${Math.floor(i / 3)}`);
    if (data[i] > top[i % 3]) top[i % 3] = data[i];
  }
  const count = [0, 0, 0];
  for (let i = 0; i < data.length; i++) if (data[i] === top[i % 3] && top[i % 3] > 0) count[i % 3]++;
  const flat = count.map((n) => n >= FLAT_TOP);
  for (let i = 0; i < data.length; i++) {
    into.pixels[i] = data[i] / exposure;
    if (flat[i % 3] && data[i] === top[i % 3]) into.clipped[(i / 3) | 0] = 1;
  }
  const level = Math.min(...top.map((t, c) => (flat[c] ? t : Infinity)));
  return { clipLevel: level / exposure };
}
