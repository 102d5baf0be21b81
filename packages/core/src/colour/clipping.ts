const LEVELS = 1024;
/** A recording's white lies above this share of its scale, whatever its curve. */
const LOWEST_WHITE = 0.7;
/** Without a white of its own a picture is cut off near the end of its scale. */
const SCALE_END = 0.98;
const FEWEST = 16;

/**
 * Pixels whose code values stand at the white of their picture: 1 where a channel does. A logarithmic or legal-range recording is cut off
 * below the end of its scale: where the highest code of a channel is held by many and the next lower ones by few, that is its white. Floats
 * have no scale: only a white of their own counts.
 */
export function clippedPixels({ codes }: { codes: Uint8Array | Uint16Array | Float32Array }): Uint8Array {
  const out = new Uint8Array(codes.length / 3);
  for (let c = 0; c < 3; c++) {
    const white = whiteOf(codes, c);
    for (let i = c, p = 0; i < codes.length; i += 3, p++) if (codes[i] >= white) out[p] = 1;
  }
  return out;
}

/** The code from which a channel counts as cut off. */
function whiteOf(codes: Uint8Array | Uint16Array | Float32Array, channel: number): number {
  let top = 0;
  for (let i = channel; i < codes.length; i += 3) if (codes[i] > top) top = codes[i];
  const scale = codes instanceof Float32Array ? top : codes instanceof Uint16Array ? 65535 : 255;
  const otherwise = codes instanceof Float32Array ? Infinity : SCALE_END * scale;
  if (!(top > 0) || top < LOWEST_WHITE * scale) return otherwise;
  const bins = new Uint32Array(LEVELS + 1);
  for (let i = channel; i < codes.length; i += 3) if (codes[i] > 0) bins[Math.floor((LEVELS * codes[i]) / scale)]++;
  let at = Math.floor((LEVELS * top) / scale);
  const held = bins[at];
  do at--;
  while (at > 0 && bins[at] === 0);
  const plateau = held >= FEWEST && held >= 2 * bins[at];
  return plateau ? Math.min(otherwise, top * (1 - 0.5 / LEVELS)) : otherwise;
}
