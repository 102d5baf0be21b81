import { DateTime } from 'luxon';
import { parseTimecode } from '@tawny/core';
import { fileTime } from '../records/fileTime';

/** What a recording says of its time: of the file itself, milliseconds since 1970. */
export interface RecordingTime {
  /** With its own offset to UTC, as some cameras write it when they begin. */
  statedMs: number | null;
  /** The container's creation time: UTC by its standard, local time in many cameras, of the beginning or of the end of writing. */
  createdMs: number | null;
}

interface Recording extends RecordingTime {
  startTimecode: string | null;
  fps: number;
  frames: number;
}

export interface ClipStart {
  /** Instant of the first frame; null when the file does not tell it. */
  startsAt: string | null;
  /** What it rests on, in words; empty where nothing is known. */
  startsAtFrom: string;
}

/** How fast the camera's clock was, seconds, and the zone of the place (IANA). */
interface Clock {
  offsetS: number;
  zone: string;
}

/** A free-running timecode and the file's own clock are one clock, but one of them is set to the second and drifts. */
const AGREES_S = 90;
/** Start and end that lie closer than this cannot be told apart by it, and need not be. */
const TELLS_S = 4;
const DAY_S = 86400;

/** How far one time of day lies from another, seconds around the clock. */
const apartS = (a: number, b: number) => Math.abs(((((a - b) % DAY_S) + 1.5 * DAY_S) % DAY_S) - DAY_S / 2);

/**
 * When a recording began. A creation time is of the beginning or of the end, in UTC or in local time: a timecode that runs by the time of day
 * tells which. A file's time in the file system says nothing.
 */
export function clipStart(r: Recording, clock: Clock): ClipStart {
  const { zone } = clock;
  const lengthS = r.frames / r.fps;
  const corrected = (ms: number, from: string) => byClock(ms, from, clock);
  if (r.statedMs !== null) return corrected(r.statedMs, 'the file states it, with its offset to UTC');
  if (r.createdMs === null) return UNTOLD;
  const utc = r.createdMs;
  const local = DateTime.fromMillis(utc, { zone: 'utc' }).setZone(zone, { keepLocalTime: true }).toMillis();
  const timecode = timeOfDayS(r);
  // As the clock on the wall shows it: on a day that changes it, that is not what has gone by since midnight.
  const ofDay = (ms: number) => {
    const { hour, minute, second, millisecond } = DateTime.fromMillis(ms, { zone });
    return 3600 * hour + 60 * minute + second + millisecond / 1000;
  };
  const readings = [utc, ...(local === utc ? [] : [local])].flatMap((ms) => [
    { ms, atEnd: false, asLocal: ms !== utc },
    { ms: ms - 1000 * lengthS, atEnd: true, asLocal: ms !== utc },
  ]);
  const ranked =
    timecode === null
      ? []
      : readings
          .map((reading) => ({ ...reading, off: apartS(ofDay(reading.ms), timecode) }))
          .sort((a, b) => a.off - b.off);
  const [best] = ranked;
  if (!best || best.off > AGREES_S)
    return corrected(
      utc,
      `the file's creation time, read as UTC and as that of its first frame; were it that of the last, it began ${lengthS.toFixed(0)} s earlier`,
    );
  const said = best.asLocal ? 'the creation time, local time by its timecode' : 'the creation time';
  const rival = ranked.find((x) => x.asLocal === best.asLocal && x.atEnd !== best.atEnd)!;
  if (rival.off - best.off < TELLS_S && lengthS > TELLS_S)
    return corrected(
      best.ms,
      `${said}; whether of its first or its last frame, ${lengthS.toFixed(0)} s apart, is not told`,
    );
  return corrected(
    best.ms,
    best.atEnd
      ? `${said} less the length: by its timecode the file was dated when it ended`
      : `${said}; its timecode agrees`,
  );
}

/** When an image sequence began: its first picture's own time. */
export function sequenceStart(first: { takenAtMs: number | null; hasUtcOffset: boolean }, clock: Clock): ClipStart {
  const time = fileTime(first, clock.zone);
  if (!time) return UNTOLD;
  const from =
    time.zoneFrom === 'file'
      ? 'its first picture states it, with its offset to UTC'
      : `its first picture states it, read in ${clock.zone}`;
  return byClock(time.at.getTime(), from, clock);
}

const UNTOLD: ClipStart = { startsAt: null, startsAtFrom: 'the file does not say when it was recorded' };

const byClock = (ms: number, from: string, { offsetS }: Clock): ClipStart => ({
  startsAt: new Date(ms - 1000 * offsetS).toISOString(),
  startsAtFrom:
    offsetS === 0
      ? from
      : `${from}; the camera's clock is ${Math.abs(offsetS).toFixed(0)} s ${offsetS > 0 ? 'fast' : 'slow'}: corrected`,
});

/** A timecode read as a time of day, seconds; null when there is none that the rate has. */
function timeOfDayS({ startTimecode, fps }: Pick<Recording, 'startTimecode' | 'fps'>): number | null {
  if (!startTimecode) return null;
  try {
    const { hours, minutes, seconds, frames } = parseTimecode(startTimecode, fps);
    return 3600 * hours + 60 * minutes + seconds + frames / fps;
  } catch {
    return null;
  }
}
