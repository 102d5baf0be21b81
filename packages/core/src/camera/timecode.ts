/** Timecode of SMPTE ST 12-1: `hh:mm:ss:ff`, drop-frame written with `;` before the frames. */
export interface Timecode {
  hours: number;
  minutes: number;
  seconds: number;
  frames: number;
  dropFrame: boolean;
}

/** Frames counted a second: 29.97 counts 30, 23.976 counts 24. */
export const countedRate = (rate: number): number => Math.round(rate);

/** Rates that know drop-frame: 29.97 and 59.94 (and 119.88). */
export const canDropFrames = (rate: number): boolean =>
  countedRate(rate) % 30 === 0 && Math.abs(rate - countedRate(rate)) > 0.01;

/** @throws RangeError saying what is wrong in the text for this rate */
export function parseTimecode(text: string, rate: number): Timecode {
  const m = text.match(/^(\d\d):(\d\d):(\d\d)([:;])(\d\d\d?)$/);
  if (!m) throw new RangeError(`"${text}" is no timecode: it is written hh:mm:ss:ff`);
  const [hours, minutes, seconds, frames] = [m[1], m[2], m[3], m[5]].map(Number);
  const dropFrame = m[4] === ';';
  if (hours > 23 || minutes > 59 || seconds > 59) throw new RangeError(`${text} is no time of day`);
  const count = countedRate(rate);
  if (frames >= count) throw new RangeError(`${text}: at ${rate} fps frames run from 00 to ${count - 1}`);
  if (dropFrame && !canDropFrames(rate))
    throw new RangeError(`${text}: there is no drop-frame timecode at ${rate} fps`);
  if (dropFrame && seconds === 0 && minutes % 10 !== 0 && frames < count / 15)
    throw new RangeError(`${text} is skipped by drop-frame counting`);
  return { hours, minutes, seconds, frames, dropFrame };
}

/** Frames since midnight. */
export function framesOfTimecode(tc: Timecode, rate: number): number {
  const count = countedRate(rate);
  const minutes = 60 * tc.hours + tc.minutes;
  const plain = (60 * minutes + tc.seconds) * count + tc.frames;
  return tc.dropFrame ? plain - (count / 15) * (minutes - Math.floor(minutes / 10)) : plain;
}

/** The timecode of a count of frames since midnight, around the clock. @throws RangeError for drop-frame at a rate that has none */
export function timecodeOfFrames(total: number, rate: number, dropFrame: boolean): string {
  const count = countedRate(rate);
  if (dropFrame && !canDropFrames(rate)) throw new RangeError(`there is no drop-frame timecode at ${rate} fps`);
  const drop = dropFrame ? count / 15 : 0;
  const perMinute = 60 * count - drop;
  const perTen = 600 * count - 9 * drop;
  const day = 144 * perTen;
  let n = ((Math.round(total) % day) + day) % day;
  if (dropFrame) {
    const tens = Math.floor(n / perTen);
    const rest = n % perTen;
    n += 9 * drop * tens + (rest >= 60 * count ? drop * (1 + Math.floor((rest - 60 * count) / perMinute)) : 0);
  }
  const two = (v: number) => String(v).padStart(2, '0');
  const s = Math.floor(n / count);
  return `${two(Math.floor(s / 3600))}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}${dropFrame ? ';' : ':'}${two(n % count)}`;
}

/** Seconds of real time between two timecodes, the out frame included; over midnight when out is earlier. */
export function timecodeDurationS(tcIn: string, tcOut: string, rate: number): number {
  const a = parseTimecode(tcIn, rate);
  const b = parseTimecode(tcOut, rate);
  let frames = framesOfTimecode(b, rate) - framesOfTimecode(a, rate) + 1;
  if (frames <= 0)
    frames +=
      framesOfTimecode(
        { hours: 23, minutes: 59, seconds: 59, frames: countedRate(rate) - 1, dropFrame: a.dropFrame },
        rate,
      ) + 1;
  return frames / rate;
}

/** How long a take ran by its timecode, seconds; null while it is not logged whole, or where it holds a timecode that its rate does not have. */
export function lengthOfTakeS(take: {
  timecodeIn: string | null;
  timecodeOut: string | null;
  timecodeRate: number | null;
}): number | null {
  const { timecodeIn, timecodeOut, timecodeRate } = take;
  if (timecodeIn === null || timecodeOut === null || timecodeRate === null) return null;
  try {
    return timecodeDurationS(timecodeIn, timecodeOut, timecodeRate);
  } catch (error) {
    // Such as a frame that drop-frame counting skips: a length cannot be said, and the rest of the take stands.
    if (error instanceof RangeError) return null;
    throw error;
  }
}
