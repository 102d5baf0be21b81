import type { CameraBody, FilterRecord, LensRecord } from './kit';
import type { Orientation } from './calibrations';
import type { Take, TakeChange, TakeInput } from './takes';

export interface TakeFault {
  field: keyof TakeInput;
  message: string;
}

/** Stops in a density of 0.3. */
const STOPS_PER_DENSITY = 1 / Math.log10(2);

/** What a camera assistant would object to: the take against its body, format, lens and filters. */
export function takeFaults(
  take: TakeInput,
  body: CameraBody,
  lens: LensRecord,
  filters: readonly FilterRecord[] = [],
): TakeFault[] {
  const faults: TakeFault[] = [];
  const format = body.formats.find((f) => f.name === take.formatName);
  if (!format) faults.push({ field: 'formatName', message: `${body.name} does not record ${take.formatName}` });
  else if (take.fps > format.maxFps)
    faults.push({ field: 'fps', message: `${format.name} runs to ${format.maxFps} fps, not ${take.fps}` });
  if (take.tStop < lens.tMin - 1e-9)
    faults.push({
      field: 'tStop',
      message: `${lens.name} opens to T${lens.tMin}; T${take.tStop} is wider than it goes`,
    });
  if (take.tStop > lens.tMax + 1e-9)
    faults.push({ field: 'tStop', message: `${lens.name} closes to T${lens.tMax}; T${take.tStop} is beyond it` });
  if (!inRange(take.focalLengthMm, lens)) {
    faults.push({
      field: 'focalLengthMm',
      message: `${lens.name} is ${rangeOf(lens)}; ${take.focalLengthMm} mm is outside it`,
    });
  }
  if (take.focusM !== null && take.focusM < lens.closeFocusM) {
    faults.push({ field: 'focusM', message: `${lens.name} focuses no nearer than ${lens.closeFocusM} m` });
  }
  const nd = filters.filter((f) => f.kind === 'nd').reduce((sum, f) => sum + f.density, 0) * STOPS_PER_DENSITY;
  if (nd > 0 && Math.abs(nd - take.ndStops) > 0.34) {
    faults.push({
      field: 'ndStops',
      message: `The filters named add up to ${nd.toFixed(1)} stops of ND, the take says ${take.ndStops}`,
    });
  }
  faults.push(...take.changes.flatMap((c) => changeFaults(c, lens)), ...timecodeFaults(take));
  return faults;
}

const inRange = (mm: number, lens: LensRecord) => mm >= lens.focalMinMm - 1e-9 && mm <= lens.focalMaxMm + 1e-9;
const rangeOf = (lens: LensRecord) =>
  lens.focalMinMm === lens.focalMaxMm
    ? `a ${lens.focalMinMm} mm prime`
    : `a ${lens.focalMinMm} to ${lens.focalMaxMm} mm zoom`;

function changeFaults(change: TakeChange, lens: LensRecord): TakeFault[] {
  const fault = (message: string): TakeFault[] => [{ field: 'changes', message }];
  if (change.field === 'focalLengthMm' && !inRange(change.value, lens))
    return fault(`${lens.name} is ${rangeOf(lens)}: a zoom to ${change.value} mm is outside it`);
  if (change.field === 'tStop' && (change.value < lens.tMin - 1e-9 || change.value > lens.tMax + 1e-9))
    return fault(`An iris pull to T${change.value} is outside ${lens.name} (T${lens.tMin} to T${lens.tMax})`);
  if (change.field === 'focusM' && change.value < lens.closeFocusM)
    return fault(`A focus pull to ${change.value} m is nearer than ${lens.name} focuses (${lens.closeFocusM} m)`);
  return [];
}

/** What is wrong with the timecodes at their rate. */
function timecodeFaults(take: TakeInput): TakeFault[] {
  const faults: TakeFault[] = [];
  if ((take.timecodeIn || take.timecodeOut) && take.timecodeRate === null)
    faults.push({ field: 'timecodeRate', message: 'Timecode needs its rate, such as 24 or 29.97' });
  for (const field of ['timecodeIn', 'timecodeOut'] as const) {
    const text = take[field];
    if (!text || take.timecodeRate === null) continue;
    const counted = Math.round(take.timecodeRate);
    const frames = Number(text.split(/[:;]/)[3]);
    const dropRate = counted % 30 === 0 && Math.abs(counted - take.timecodeRate) > 0.01;
    if (frames >= counted)
      faults.push({
        field,
        message: `At ${take.timecodeRate} fps frames run from 00 to ${counted - 1}; ${text} has ${frames}`,
      });
    if (text.includes(';') && !dropRate)
      faults.push({ field, message: `There is no drop-frame timecode at ${take.timecodeRate} fps` });
  }
  if (take.timecodeIn && take.timecodeOut && take.timecodeIn.includes(';') !== take.timecodeOut.includes(';')) {
    faults.push({ field: 'timecodeOut', message: 'One timecode is drop-frame, the other is not' });
  }
  return faults;
}

export interface SlateParts {
  scene: string;
  /** Setup letters; empty for the master. */
  setup: string;
}

/** Scene and setup letter of a slate such as 14A; null when it is written another way. */
export function slateParts(slate: string): SlateParts | null {
  const m = slate
    .trim()
    .toUpperCase()
    .match(/^(\d{1,4})([A-Z]{0,2})$/);
  return m ? { scene: m[1], setup: m[2] } : null;
}

/** Letters of setups: I and O are left out, they read as 1 and 0. */
const LETTERS = 'ABCDEFGHJKLMNPQRSTUVWXYZ';

/** The slate of the next setup of a scene: 14 → 14A → 14B ... 14Z → 14AA. Slates written another way come back unchanged. */
export function nextSlate(slate: string): string {
  const parts = slateParts(slate);
  if (!parts) return slate;
  const { scene, setup } = parts;
  const next = (letter: string) => LETTERS[LETTERS.indexOf(letter) + 1];
  if (setup === '') return `${scene}A`;
  const last = setup[setup.length - 1];
  if (next(last)) return `${scene}${setup.slice(0, -1)}${next(last)}`;
  if (setup.length === 1) return `${scene}AA`;
  return next(setup[0]) ? `${scene}${next(setup[0])}A` : slate;
}

/** A name whose last number is one higher, its zeros kept: roll4-12 → roll4-13. */
export function countUp(name: string): string {
  return name.replace(/(\d+)(?=\D*$)/, (digits) => String(Number(digits) + 1).padStart(digits.length, '0'));
}

/** The next take of the same camera: a copy, one number on; what belongs to one take alone is cleared. */
export function nextTake(last: TakeInput, id: string, time: Pick<TakeInput, 'shotAt' | 'shotAtFrom'>): TakeInput {
  return {
    ...last,
    id,
    take: last.take + 1,
    status: 'good',
    clip: countUp(last.clip),
    timecodeIn: null,
    timecodeOut: null,
    changes: [],
    fromFile: {},
    ...time,
    notes: '',
  };
}

/** How the time of a take is known, and the same in words. */
export function takeTimeFrom(take: Pick<TakeInput, 'shotAtFrom' | 'fromFile'>): {
  kind: 'logged' | 'fromFile' | 'assumed';
  words: string;
} {
  if (take.fromFile.shotAt) return { kind: 'fromFile', words: `from ${take.fromFile.shotAt}` };
  if (take.shotAtFrom === 'assumed') return { kind: 'assumed', words: 'assumed, nobody said when it ran' };
  return { kind: 'logged', words: take.shotAtFrom === 'entered' ? 'entered by hand' : 'logged as it was shot' };
}

/** A change made by hand: the cells it sets are no longer a file's, and a time is no longer assumed. One that says itself what came from a file stays as it is. */
export function changedByHand(take: Pick<TakeInput, 'fromFile'>, change: Partial<TakeInput>): Partial<TakeInput> {
  const part: Partial<TakeInput> = change.shotAt === undefined ? change : { shotAtFrom: 'entered', ...change };
  if (part.fromFile || !Object.keys(part).some((field) => field in take.fromFile)) return part;
  return { ...part, fromFile: Object.fromEntries(Object.entries(take.fromFile).filter(([field]) => !(field in part))) };
}

/** Cells that all cameras of one take have in common. */
export const SHARED_CELLS = [
  'slate',
  'take',
  'status',
  'shotAt',
  'shotAtFrom',
  'lightCondition',
  'notes',
] as const satisfies readonly (keyof TakeInput)[];

/** The heading (true) of a take that has none of its own, where the sight told it over a plate of the take in a frame of known north. */
export function headingSeen(
  take: Pick<Take, 'id' | 'headingDeg' | 'pictureCamera'>,
  orientation: Pick<Orientation, 'plateHeading'> | null,
): Orientation['plateHeading'] {
  const seen = orientation?.plateHeading ?? null;
  const known = take.headingDeg !== null || (take.pictureCamera?.headingDeg ?? null) !== null;
  return seen && seen.takeId === take.id && !known ? seen : null;
}
