/** Mask and uncertainty as an 8-bit picture. Red: 0 seen, 1 clipped, 2 not seen; green: uncertainty code (`encodeUncertainty`); blue: nothing. */
export function measurePixels({ mask, uncertainty }: { mask: Uint8Array; uncertainty: Uint8Array }): Uint8Array {
  const out = new Uint8Array(3 * mask.length);
  for (let i = 0; i < mask.length; i++) {
    out[3 * i] = mask[i];
    out[3 * i + 1] = uncertainty[i];
  }
  return out;
}
