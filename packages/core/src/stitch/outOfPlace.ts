import { conjugate, multiply, toRotationVector, type Quaternion } from '../orient/quaternion';
import { DEG } from '../sphere/direction';
import { median } from '../estimate/robust';

/**
 * How far each view was turned by the fit against most of the others, degrees: what all share is the panorama's own turn, one view alone stood
 * elsewhere than was said. Camera-to-panorama rotations before and after, one for each view. @throws RangeError for unequal counts
 */
export function turnedOutOfPlace(said: readonly Quaternion[], fitted: readonly Quaternion[]): number[] {
  if (said.length !== fitted.length)
    throw new RangeError(`${said.length} views before and ${fitted.length} after cannot be compared`);
  const turns = said.map((q, i) => multiply(fitted[i], conjugate(q)));
  const against = (common: Quaternion) =>
    turns.map((t) => Math.hypot(...toRotationVector(multiply(t, conjugate(common)))) / DEG);
  return turns.map(against).reduce((a, b) => (median(b) < median(a) ? b : a), turns.map(() => Infinity)); // prettier-ignore
}
