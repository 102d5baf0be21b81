import type { EntityManager } from 'typeorm';
import type { Calibration, Sight } from '@tawny/contract';
import {
  anglesFromDirection,
  directionFromAngles,
  northFromSun,
  rotate,
  solveOrientation,
  sunPosition,
  wrap180,
  wrap360,
  type OrientationSources,
  type Provenance,
  type SolvedOrientation,
  type SourceKind,
} from '@tawny/core';
import type { Owned, StoredCalibration, StoredPanorama } from '../db/entities';
import { ApiProblem, toldOr } from '../problems';
import type { UsedFact } from '../records/facts';
import { setPlace } from '../records/place';
import { originOf } from './latest';
import { horizonOf } from './setSources';
import { sightSources } from './sightSources';
import { storeCalibration } from './store';
import { seenSun, sunFacts, timeOfSun, type SeenSun } from './timeOfSun';

type Found = NonNullable<StoredCalibration['orientation']>;

/** Kinds of sources that tell the turn about the vertical, as they are listed. */
const HEADINGS: [SourceKind, string, Provenance['kind'], string][] = [
  ['sun', 'Sun in the picture', 'measured', 'sun'],
  ['pick', 'Picks', 'measured', 'the same things in plate and panorama'],
  ['mark', 'Marks', 'measured', 'surveyed things in the panorama'],
  ['compass', 'Compass', 'logged', 'bearings of the log or of the camera'],
  ['hand', 'By hand', 'logged', 'laid over the plate by eye'],
];

/** A rotation that nothing held: so is one that a single kind of source cannot tell by itself. */
const ANY_TURN_DEG = 180;

/**
 * Solves how a panorama lies from what was seen in the sight and, when it counts, from the sun; a new calibration keeps it.
 * @throws ApiProblem when nothing tells the turn, or sources differ of which none can be singled out: then one must be chosen
 */
export async function orient(tx: EntityManager, panorama: Owned<StoredPanorama>, sight: Sight): Promise<Calibration> {
  const { round, station } = await originOf(tx, panorama);
  const { location } = await setPlace(tx, panorama.productionId, station.setupId);
  const seen = await sightSources(tx, panorama, station, location, new Date(round.shotAt), sight);
  const horizon = await horizonOf(tx, station, location, sight.horizon);
  const sun = sight.sun ? seenSun(panorama, sight.sunAt) : null;
  const time = sun && (await timeOfSun(tx, panorama, round, undefined));
  const sources: OrientationSources = {
    panoramaWidthPx: panorama.widthPx,
    level: panorama.levelDeg === null ? null : { uncertaintyDeg: panorama.levelDeg },
    ...seen.sources,
    verticals: sight.verticals,
    horizon: horizon.source,
    sun: time && sun && { ...sun, place: location, utc: time.utc, clockS: time.clockS },
  };
  const solved = toldOr(() => solveOrientation(sources));
  const each = HEADINGS.flatMap(([kind]) => {
    const own = solveAlone(sources, kind, solved.yawDeg);
    return own ? [{ kind, ...own }] : [];
  });
  // By themselves picks turn the panorama to the plate: of one that looks nobody knows where they tell the heading, not north.
  const headings = solved.plateHeadingDeg === null ? [] : each.filter((a) => a.kind === 'pick');
  const alone = each.filter((a) => !headings.includes(a));
  if (solved.verdict === 'disagrees')
    throw new ApiProblem(422, 'sources-differ', `${differWords(alone)}${causeWords(solved)}. Choose which one counts`);
  const facts: UsedFact[] = [
    ...seen.facts,
    ...horizon.facts,
    ...(time && sun ? await sunFacts(tx, panorama, round, location, time, sun) : []),
  ];
  const found: Found = {
    ...adoptedOf(solved, alone),
    frame: solved.frame,
    rotation: [...solved.turn],
    tiltUncertaintyDeg: solved.uncertaintyTiltDeg,
    sight,
    plateHeading:
      headings.length === 0
        ? null
        : {
            takeId: seen.takeId!,
            value: wrap360(solved.plateHeadingDeg!),
            uncertainty: Math.min(ANY_TURN_DEG, Math.hypot(headings[0].uncertaintyDeg, solved.uncertaintyDeg)),
          },
    degenerate: solved.degenerate,
    sun: time && sun && sunOf(panorama, sun, solved, location, time),
  };
  return storeCalibration(tx, panorama.productionId, panorama.id, 'orientation', found, { facts });
}

type Alone = { kind: SourceKind; yawDeg: number; uncertaintyDeg: number };

/** What one kind of source says by itself, with the level: any turn, about the adopted one, where that is too little. Null when there is none. */
function solveAlone(
  s: OrientationSources,
  kind: SourceKind,
  adoptedDeg: number,
): { yawDeg: number; uncertaintyDeg: number } | null {
  const only: OrientationSources = {
    ...s,
    sun: kind === 'sun' ? s.sun : null,
    hand: kind === 'hand' ? s.hand : null,
    picks: kind === 'pick' ? s.picks : [],
    marks: kind === 'mark' ? s.marks : [],
    compass: kind === 'compass' ? s.compass : [],
  };
  const told = only.picks.length + only.marks.length + only.compass.length;
  if (!only.sun && !only.hand && told === 0) return null;
  try {
    return solveOrientation(only);
  } catch (error) {
    if (error instanceof RangeError) return { yawDeg: adoptedDeg, uncertaintyDeg: ANY_TURN_DEG };
    throw error;
  }
}

function adoptedOf(solved: SolvedOrientation, alone: readonly Alone[]): Pick<Found, 'adopted' | 'verdict' | 'sources'> {
  const weightOf = (kind: SourceKind) =>
    solved.sources.filter((s) => s.kind === kind).reduce((sum, s) => sum + s.weight, 0);
  const total = alone.reduce((sum, a) => sum + weightOf(a.kind), 0) || 1;
  const listed = HEADINGS.flatMap(([kind, name, provenance, source]) => {
    const own = alone.find((a) => a.kind === kind);
    if (!own) return [];
    const parts = solved.sources.filter((s) => s.kind === kind);
    const outlier = parts.every((s) => s.outlier);
    const residual = wrap180(own.yawDeg - solved.yawDeg);
    return [
      {
        name: kind === 'pick' || kind === 'mark' ? `${name} (${parts.filter((s) => !s.outlier).length})` : name,
        // On the adopted value's side of the turn, so that they lie on one axis.
        value: solved.yawDeg + residual,
        uncertainty: own.uncertaintyDeg,
        provenance: { kind: provenance, source, at: null },
        residual,
        weight: weightOf(kind) / total,
        outlier,
        cause: parts.find((s) => s.cause !== null)?.cause ?? null,
      },
    ];
  });
  const leading = listed.reduce((best, s) => (s.weight > best.weight ? s : best), listed[0]);
  return {
    adopted: { value: solved.yawDeg, uncertainty: solved.uncertaintyDeg, provenance: leading.provenance },
    verdict: solved.verdict,
    sources: listed,
  };
}

/** The check on level, clock and place that a sun gives whatever else turned the panorama. */
function sunOf(
  panorama: Owned<StoredPanorama>,
  sun: SeenSun,
  solved: SolvedOrientation,
  place: Parameters<typeof sunPosition>[0],
  { utc, clockS }: { utc: Date; clockS: number | null },
): Found['sun'] {
  const computed = sunPosition(place, utc);
  const alone = northFromSun({ detected: sun, place, utc, levelDeg: panorama.levelDeg, clockS });
  const { elevationDeg } = anglesFromDirection(
    rotate(solved.turn, directionFromAngles(sun.azimuthDeg, sun.elevationDeg)),
  );
  return {
    computedAzimuthDeg: computed.azimuthDeg,
    computedElevationDeg: computed.elevationDeg,
    foundAzimuthDeg: sun.azimuthDeg,
    foundElevationDeg: sun.elevationDeg,
    elevationDifferenceDeg: elevationDeg - computed.elevationDeg,
    elevationToleranceDeg: Math.hypot(solved.uncertaintyTiltDeg, sun.uncertaintyDeg),
    utc: utc.toISOString(),
    clockErrorS: clockS === null ? null : { value: alone.clock.valueS, uncertainty: alone.clock.uncertaintyS },
    heightTestsHour: alone.heightTestsHour,
  };
}

function differWords(alone: readonly Alone[]): string {
  const said = alone.map((a) => {
    const name = HEADINGS.find(([kind]) => kind === a.kind)![1];
    return `${name} ${a.yawDeg.toFixed(1)}° ± ${a.uncertaintyDeg.toFixed(1)}°`;
  });
  return said.length > 1 ? `The sources differ: ${said.join(', ')}` : 'What was marked contradicts itself';
}

const CAUSE_WORDS: Record<string, string> = {
  clockHour: 'an hour of the clock or the zone would explain it',
  clock: 'a clock that is off would explain it',
  mirrored: 'a mirrored panorama would explain it',
  upsideDown: 'a panorama that lies upside down would explain it',
  magnetic: 'a compass whose declination was forgotten or counted twice would explain it',
  compass: 'iron near the compass would explain it',
  pick: 'a pick or mark on the wrong thing would explain it',
};
const causeWords = ({ cause }: SolvedOrientation) => (cause && CAUSE_WORDS[cause] ? `; ${CAUSE_WORDS[cause]}` : '');
