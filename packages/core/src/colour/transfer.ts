/** IEC 61966-2-1 decoding of one code value in [0, 1] to linear [0, 1]. */
export function srgbToLinear(v: number): number {
  return v <= 0.04045 ? v / 12.92 : Math.pow((v + 0.055) / 1.055, 2.4);
}

/** IEC 61966-2-1 encoding of linear [0, 1]; values outside are clamped because a display cannot show them. */
export function linearToSrgb(v: number): number {
  const c = Math.min(1, Math.max(0, v));
  return c <= 0.0031308 ? c * 12.92 : 1.055 * Math.pow(c, 1 / 2.4) - 0.055;
}
