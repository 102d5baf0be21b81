import { xyzOfRadiator } from './observer';

/** Correlated colour temperature in kelvin and signed distance from the Planckian locus in CIE 1960 uv (above it positive). */
export interface ColourTemperature {
  cct: number;
  duv: number;
}

/** Temperature outside of which none is told, kelvin. */
export const CCT_RANGE = [1000, 50000] as const;
/** Beyond this distance from the locus a colour temperature says nothing (ISO/CIE 11664; CIE 15). */
export const DUV_LIMIT = 0.05;

type Uv = readonly [number, number];

/** CIE 1960 uv of XYZ. */
const uvOf = ([x, y, z]: readonly [number, number, number]): Uv => {
  const sum = x + 15 * y + 3 * z;
  return [(4 * x) / sum, (6 * y) / sum];
};

/** Steps of the table of the locus, in temperature: so close that a parabola through three of them is the locus. */
const STEP = 1.0025;
let table: { kelvin: number; uv: Uv }[] | null = null;

function locus() {
  if (!table) {
    table = [];
    for (let kelvin = CCT_RANGE[0] / STEP ** 2; kelvin < CCT_RANGE[1] * STEP ** 3; kelvin *= STEP)
      table.push({ kelvin, uv: uvOf(xyzOfRadiator(kelvin)) });
  }
  return table;
}

/**
 * Correlated colour temperature and Duv of a colour: where a parabola through the squared distances to the nearest three of a table of the
 * Planckian locus is least (after Ohno 2014).
 * @param xyz CIE 1931 XYZ of any scale
 * @returns null of a colour without light, farther than `DUV_LIMIT` from the locus or outside `CCT_RANGE`
 */
export function colourTemperature(xyz: readonly [number, number, number]): ColourTemperature | null {
  if (!xyz.every(Number.isFinite) || !(xyz[1] > 0)) return null;
  const [u, v] = uvOf(xyz);
  const points = locus();
  const squared = (k: number) => (points[k].uv[0] - u) ** 2 + (points[k].uv[1] - v) ** 2;
  let near = 0;
  for (let k = 1; k < points.length; k++) if (squared(k) < squared(near)) near = k;
  if (near === 0 || near === points.length - 1) return null;
  const [before, at, after] = [squared(near - 1), squared(near), squared(near + 1)];
  const offset = (before - after) / (2 * (before - 2 * at + after));
  const kelvin = points[near].kelvin * STEP ** offset;
  const [a, b] = [points[near - 1].uv, points[near + 1].uv];
  const [du, dv] = [b[0] - a[0], b[1] - a[1]];
  // Hotter runs to lower u: above the locus lies to the right of that way.
  const duv = (du * (a[1] - v) - dv * (a[0] - u)) / Math.hypot(du, dv);
  if (Math.abs(duv) > DUV_LIMIT || kelvin < CCT_RANGE[0] || kelvin > CCT_RANGE[1]) return null;
  return { cct: kelvin, duv };
}
