import { DECLINATION_SIGMA_DEG, magneticDeclinationDeg } from '@tawny/core/orient/declination';
import { correctReading } from '@tawny/core/photometry/reading';
import { feetFromMetres, LUX_PER_FOOTCANDLE } from '@tawny/core/photometry/units';
import type { InstrumentRecord, Location, Reading, ReadingKind, Reference, Station, Take } from '@tawny/contract';
import { REFERENCE_KINDS } from '@tawny/contract/setRecords';
import { clock } from '../../data/time';

/** How a cell steps, and where it begins. */
export const STEP: Record<ReadingKind, { step: number; digits: number; start: number }> = {
  lux: { step: 50, digits: 0, start: 1000 },
  spot: { step: 50, digits: 0, start: 500 },
  colourTemperature: { step: 50, digits: 0, start: 5600 },
  compass: { step: 1, digits: 1, start: 0 },
  tilt: { step: 0.5, digits: 1, start: 0 },
  distance: { step: 0.05, digits: 3, start: 3 },
  height: { step: 0.05, digits: 3, start: 1.5 },
  east: { step: 0.05, digits: 3, start: 0 },
  north: { step: 0.05, digits: 3, start: 0 },
};
/** What a reading means once instrument and place are taken into account. */
export function meaningOf(
  r: Pick<Reading, 'kind' | 'shown' | 'takenAt'>,
  instrument: InstrumentRecord | undefined,
  location: Location,
) {
  const declination =
    r.kind === 'compass'
      ? { deg: magneticDeclinationDeg(location, new Date(r.takenAt)), sigmaDeg: DECLINATION_SIGMA_DEG }
      : null;
  return correctReading(r.kind, r.shown, instrument ?? null, declination);
}

export function otherUnit(kind: ReadingKind, value: number): string {
  if (kind === 'lux') return ` (${(value / LUX_PER_FOOTCANDLE).toFixed(1)} fc)`;
  if (kind === 'distance' || kind === 'height') {
    const f = feetFromMetres(value);
    return ` (${f.feet}' ${f.inches}")`;
  }
  return '';
}

export interface Tie {
  value: string;
  title: string;
  stationId: string | null;
  takeId: string | null;
  referenceId: string | null;
}

/** Latest of each that a reading may belong to. */
const OFFERED = 4;

export function tiesOf(stations: readonly Station[], takes: readonly Take[], references: readonly Reference[]): Tie[] {
  const none = { stationId: null, takeId: null, referenceId: null };
  return [
    { value: 'setup', title: 'The setup', ...none },
    ...stations.slice(0, OFFERED).map((s) => ({ ...none, value: `s:${s.id}`, title: s.name, stationId: s.id })),
    ...takes
      .slice(0, OFFERED)
      .map((t) => ({ ...none, value: `t:${t.id}`, title: `${t.slate} / ${t.take}${t.camera}`, takeId: t.id })),
    ...references
      .slice(0, OFFERED)
      .map((r) => ({ ...none, value: `r:${r.id}`, title: `${REFERENCE_KINDS[r.kind]}, ${r.name}`, referenceId: r.id })),
  ];
}

type ReadingTime = Pick<Reading, 'takenAt' | 'takenAtFrom'>;

/** When a reading was taken: as somebody stated it, now where the day is being shot, else assumed to be when what it is about was. */
export function timeOfReading(stated: string | null, runs: boolean, otherwise: string): ReadingTime {
  if (stated !== null) return { takenAt: stated, takenAtFrom: 'entered' };
  return runs
    ? { takenAt: new Date().toISOString(), takenAtFrom: 'logged' }
    : { takenAt: otherwise, takenAtFrom: 'assumed' };
}

/** The same of one that is not saved yet, in a line. */
export const timeOfReadingWords = ({ takenAt, takenAtFrom }: ReadingTime, zone: string): string =>
  takenAtFrom === 'logged'
    ? 'now, when it is saved'
    : `${clock(takenAt, zone)}, ${takenAtFrom === 'entered' ? 'entered by hand' : 'assumed, nobody said when it was read'}`;
