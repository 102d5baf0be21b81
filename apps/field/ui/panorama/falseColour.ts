/** Our scale: tide below mid grey, tawny above, a stop a step, neutral between. */
export const SCALE_STOPS = 6;
const LOW = [0.05, 0.29, 0.3] as const;
const NEUTRAL = [0.8, 0.79, 0.77] as const;
const HIGH = [0.62, 0.26, 0.02] as const;

/** Display colour (0 to 1) of a whole number of stops from mid grey. */
export function colourOfStop(stop: number): [number, number, number] {
  const t = Math.min(1, Math.abs(stop) / SCALE_STOPS);
  const end = stop < 0 ? LOW : HIGH;
  return NEUTRAL.map((n, c) => n + (end[c] - n) * t) as [number, number, number];
}

export const cssOfStop = (stop: number) =>
  `rgb(${colourOfStop(stop)
    .map((v) => Math.round(255 * v))
    .join(',')})`;

const glsl = (v: readonly number[]) => `vec3(${v.map((x) => x.toFixed(4)).join(', ')})`;

/** The same scale for the strip's shader: `scaleColour(stops)`. */
export const SCALE_GLSL = `
vec3 scaleColour(float stops) {
  float s = clamp(floor(stops + 0.5), -${SCALE_STOPS.toFixed(1)}, ${SCALE_STOPS.toFixed(1)});
  return mix(${glsl(NEUTRAL)}, s < 0.0 ? ${glsl(LOW)} : ${glsl(HIGH)}, abs(s) / ${SCALE_STOPS.toFixed(1)});
}`;
