import { directionFromAngles, type Vec3 } from '../sphere/direction';

/** A line in the world that should sit in the plate: points from the camera's pupil, metres (east, up, south as CONVENTIONS.md section 1). */
export interface CheckLine {
  kind: 'grid' | 'pole' | 'graduation' | 'cube';
  points: Vec3[];
  /** Said beside its last point; empty for most. */
  words: string;
}

/** Poles stand this high, with a graduation every metre. */
const POLE_M = 3;
const GRADUATION_M = 0.25;

/**
 * What is drawn over a plate to see whether its camera is right: a grid on level ground of a stated size, graduated poles and a metre cube on
 * it. Everything lies ahead of the camera.
 * @param headingDeg where the camera looks; the grid runs along it
 * @param heightM of the pupil over the ground
 * @param gridM side of the grid's squares
 */
export function checkShapes(headingDeg: number, heightM: number, gridM: number): CheckLine[] {
  if (!(heightM > 0)) throw new RangeError(`the camera's height over the ground must be positive, not ${heightM}`);
  if (!(gridM > 0)) throw new RangeError(`the grid's size must be positive, not ${gridM}`);
  const [ahead, right] = [directionFromAngles(headingDeg, 0), directionFromAngles(headingDeg + 90, 0)];
  const at = (away: number, aside: number, up: number): Vec3 => [
    away * ahead[0] + aside * right[0],
    up - heightM,
    away * ahead[2] + aside * right[2],
  ];
  const lines: CheckLine[] = [];
  const line = (kind: CheckLine['kind'], points: Vec3[], words = '') => lines.push({ kind, points, words });
  const STEPS = 10;
  for (let k = -STEPS; k <= STEPS; k++)
    line(
      'grid',
      Array.from({ length: 2 * STEPS }, (_, j) => at((j + 1) * gridM, k * gridM, 0)),
    );
  for (let j = 1; j <= 2 * STEPS; j++)
    line('grid', [at(j * gridM, -STEPS * gridM, 0), at(j * gridM, STEPS * gridM, 0)], j % 5 === 0 ? `${j * gridM} m` : ''); // prettier-ignore
  for (const [away, aside] of [
    [5, -2],
    [10, 3],
    [20, -6],
  ] as const) {
    // prettier-ignore
    const [a, s] = [away * gridM, aside * gridM];
    line('pole', [at(a, s, 0), at(a, s, POLE_M)], `${POLE_M} m`);
    for (let up = 1; up < POLE_M; up++)
      line('graduation', [at(a, s - GRADUATION_M / 2, up), at(a, s + GRADUATION_M / 2, up)]);
  }
  const corner = (i: number): Vec3 => at(5 * gridM + (i & 1), 0.5 + ((i >> 1) & 1), (i >> 2) & 1);
  for (let i = 0; i < 8; i++)
    for (const bit of [1, 2, 4]) if ((i & bit) === 0) line('cube', [corner(i), corner(i | bit)], i === 4 && bit === 1 ? '1 m' : ''); // prettier-ignore
  return lines;
}
