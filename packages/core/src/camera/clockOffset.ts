import { halfWidth95 } from '../estimate/confidence';

export interface ClockOffset {
  /** Camera clock minus true time, seconds. */
  offsetS: number;
  /** Half width of the 95 % interval. */
  uncertaintyS: number;
}

const DAY_S = 86400;

/**
 * A camera's clock from its photograph of a clock that runs true: what the file says against what the face shows.
 * A face shows a time until the next one, so the middle of its last digit is meant; a file without parts of a second was taken somewhere in that second.
 * @param fileMs time of the photograph by the camera's clock, milliseconds since the epoch
 * @param shown local time on the face: hh:mm:ss, or with tenths after a point
 * @param zoneOffsetMin minutes that the face is ahead of UTC
 * @throws RangeError when the face's time is none
 */
export function clockOffset(fileMs: number, shown: string, zoneOffsetMin: number): ClockOffset {
  const m = shown.trim().match(/^([01]?\d|2[0-3]):([0-5]\d):([0-5]\d)(?:[.,](\d))?$/);
  if (!m) throw new RangeError(`The clock shows hours, minutes and seconds, such as 15:31:04, not "${shown}"`);
  const tenths = m[4] !== undefined;
  const digit = tenths ? 0.1 : 1;
  const face =
    Number(m[1]) * 3600 +
    Number(m[2]) * 60 +
    Number(m[3]) +
    (tenths ? Number(m[4]) / 10 : 0) +
    digit / 2 -
    60 * zoneOffsetMin;
  const whole = fileMs % 1000 === 0;
  const file = fileMs / 1000 + (whole ? 0.5 : 0);
  // Only the time of day is on the face: the difference nearest to nothing is meant.
  const raw = (((file - face) % DAY_S) + DAY_S) % DAY_S;
  const offsetS = raw > DAY_S / 2 ? raw - DAY_S : raw;
  const sigma = Math.hypot(digit / Math.sqrt(12), whole ? 1 / Math.sqrt(12) : 0);
  return { offsetS: Number(offsetS.toFixed(2)), uncertaintyS: Number(halfWidth95(sigma).toFixed(2)) };
}
