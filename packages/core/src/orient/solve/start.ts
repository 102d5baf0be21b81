import { anglesFromDirection, arcDeg, cross, normalize, wrap180, type Vec3 } from '../../sphere/direction';
import { yawQuaternion } from '../attitude';
import { multiply, normalizeQuaternion, rotate, type Quaternion } from '../quaternion';
import type { Problem } from './observations';
import type { OrientationSources } from './sources';

/** Two directions closer than this (or opposite by as little) do not tell a whole turn. */
const APART_DEG = 2;
/** An observation counts as this many sigmas away at most while starts are compared: outliers do not rule. */
const FARTHEST = 5;

/**
 * Turns that some of the sources would have, best first: every pair of directions, every direction or compass with the level, and the
 * hand's. The least-squares steps go on from them.
 */
export function starts(problem: Problem, s: OrientationSources, at: Float64Array): Quaternion[] {
  const pairs = problem.observations.flatMap((o) => (o.pair ? [{ ...o.pair(at), kind: o.kind }] : []));
  const found: Quaternion[] = [[0, 0, 0, 1]];
  if (s.hand) found.push(s.hand.quaternion);
  for (const c of s.compass)
    found.push(yawQuaternion(c.readingDeg - c.biasDeg + c.declinationDeg - c.panoramaAzimuthDeg));
  const azimuth = (d: Vec3) => anglesFromDirection(d).azimuthDeg;
  for (const a of pairs) {
    found.push(yawQuaternion(azimuth(a.world) - azimuth(a.seen)));
    for (const b of pairs) {
      if (a === b) break;
      const turn = turnOfTwo(a, b);
      if (!turn) continue;
      found.push(turn);
      // Picks alone turn the panorama to a plate that may look anywhere: everything else says where.
      if (problem.freeHeading !== null && a.kind === 'pick' && b.kind === 'pick')
        for (const c of pairs)
          if (c.kind !== 'pick')
            found.push(multiply(yawQuaternion(azimuth(c.world) - azimuth(rotate(turn, c.seen))), turn));
    }
  }
  const cost = (turn: Quaternion) =>
    problem.observations.reduce((sum, o) => {
      const chi2 = o.residual(turn, at).reduce((c, r, i) => c + (r / o.sigmas[i]) ** 2, 0);
      return sum + Math.min(FARTHEST ** 2 * o.sigmas.length, chi2);
    }, 0);
  return found
    .map((turn) => ({ turn, cost: cost(turn) }))
    .sort((p, q) => p.cost - q.cost)
    .map((f) => f.turn);
}

/** The turn that brings one direction to its place exactly and another as near as it goes (Black 1964); null when they are too near each other. */
function turnOfTwo(a: { seen: Vec3; world: Vec3 }, b: { seen: Vec3; world: Vec3 }): Quaternion | null {
  for (const [p, q] of [
    [a.seen, b.seen],
    [a.world, b.world],
  ]) {
    const apart = arcDeg(p, q);
    if (apart < APART_DEG || apart > 180 - APART_DEG) return null;
  }
  const [from, to] = [frameOf(a.seen, b.seen), frameOf(a.world, b.world)];
  // Rotation matrix: sum of to_k from_kT.
  const m = [0, 1, 2].map((i) => [0, 1, 2].map((j) => to.reduce((sum, t, k) => sum + t[i] * from[k][j], 0)));
  return quaternionOfMatrix(m);
}

function frameOf(a: Vec3, b: Vec3): [Vec3, Vec3, Vec3] {
  const c = normalize(cross(a, b));
  return [a, c, cross(a, c)];
}

/** Unit quaternion of a rotation matrix (Shepperd 1978). */
function quaternionOfMatrix(m: readonly (readonly number[])[]): Quaternion {
  const trace = m[0][0] + m[1][1] + m[2][2];
  const picks = [m[0][0], m[1][1], m[2][2], trace];
  const k = picks.indexOf(Math.max(...picks));
  if (k === 3) return normalizeQuaternion([m[2][1] - m[1][2], m[0][2] - m[2][0], m[1][0] - m[0][1], 1 + trace]);
  const [i, j, l] = [k, (k + 1) % 3, (k + 2) % 3];
  const q = [0, 0, 0, m[l][j] - m[j][l]];
  q[i] = 1 + 2 * m[i][i] - trace;
  q[j] = m[i][j] + m[j][i];
  q[l] = m[i][l] + m[l][i];
  return normalizeQuaternion([q[0], q[1], q[2], q[3]]);
}

/** Heading (radians over a sigma of pi) of a plate that only its picks hold, at a turn. */
export function headingOfPicks(problem: Problem, turn: Quaternion, at: Float64Array): number {
  const picks = problem.observations.filter((o) => o.kind === 'pick');
  let [sin, cos] = [0, 0];
  for (const o of picks) {
    const { seen, world } = o.pair!(at);
    const off = wrap180(anglesFromDirection(rotate(turn, seen)).azimuthDeg - anglesFromDirection(world).azimuthDeg);
    sin += Math.sin((off * Math.PI) / 180);
    cos += Math.cos((off * Math.PI) / 180);
  }
  return Math.atan2(sin, cos) / Math.PI;
}
