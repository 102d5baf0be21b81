import { FileProblem } from '@tawny/formats';
import {
  CURVE_NAMES,
  curveFunction,
  MOST_DEPARTURE,
  RESPONSE_KNOTS,
  type Curve,
  type Decoding,
  type FovAcross,
  type KeptResponse,
  type Projection,
} from '@tawny/core';

/** How a round was photographed: what the user states, not what can be measured. */
export interface Rig {
  projection: Projection;
  /** Across the image circle when one is seen in the frames, else across `fovAcross`. Ignored for latlong. */
  fovDeg: number;
  fovAcross?: FovAcross;
  views: number;
  /** Neutral density on the rig, stops. */
  ndStops?: number;
  /** Transmission of the lens, (0, 1]. */
  transmission?: number;
  /** Curve of 8-bit frames; 16-bit frames are linear unless stated. */
  curve?: Curve;
  /** Primaries of the frames' light; left out, their files say. */
  primaries?: Decoding['primaries'];
  tiltDeg?: number;
  /** Views follow each other anticlockwise seen from above. */
  anticlockwise?: boolean;
  /** Tilt rows, each all around; zenith and nadir are rows of one. Left out: one row at `tiltDeg`. */
  rows?: { tiltDeg: number; views: number }[];
  /** Two image circles side by side in every frame; `views` counts both. */
  twoCircles?: boolean;
  /** What earlier rounds taught of its lens: the polynomial, and how well the focal length is known (95 %, share). */
  learned?: {
    poly: [number, number];
    focalUncertainty: number;
    /** Terms of the falloff, and how well it is known between middle and edge (95 %, stops). */
    falloff?: { terms: [number, number, number]; uncertaintyStops: number } | null;
    /** Entrance pupil ahead of the axis, mm for every metre of its height. */
    pupilMmPerM?: number;
    /** Response of its camera. */
    response?: KeptResponse;
  };
  /** Measured veiling glare. */
  glare?: { curve: { angleDeg: number; perSr: number }[]; measuredOn: string | null };
  /** Measured responsivity against the nominal one (95 %); no build uses it, and none loses it. */
  sensitivity?: { stops: number; uncertaintyStops: number; measuredOn: string | null; roundId?: string };
}

/** Pupils lie a few centimetres from the axis, mm for every metre. */
const MOST_PUPIL = 200;
/** A camera that is further from its index, or a filter that is, was stated wrongly. */
const MOST_SENSITIVITY_STOPS = 6;

const PROJECTIONS: Projection[] = [
  'equidistant',
  'equisolid',
  'stereographic',
  'orthographic',
  'rectilinear',
  'latlong',
];

/** Checks a rig that came from a file. @throws FileProblem naming the file and the field */
export function parseRig(value: unknown, file: string): Rig {
  const bad = (message: string) => new FileProblem('unsupported', file, message);
  if (typeof value !== 'object' || value === null)
    throw bad('is not a rig: expected {"projection", "fovDeg", "views"}');
  const v = value as Record<string, unknown>;
  const projection = v.projection as Projection;
  if (!PROJECTIONS.includes(projection)) throw bad(`projection must be one of ${PROJECTIONS.join(', ')}`);
  const views = v.views ?? (projection === 'latlong' ? 1 : undefined);
  if (typeof views !== 'number' || !Number.isInteger(views) || views < 1 || views > 60)
    throw bad('views must be a whole number from 1 to 60');
  const fovDeg = v.fovDeg ?? (projection === 'latlong' ? 360 : undefined);
  if (typeof fovDeg !== 'number' || !(fovDeg > 1 && fovDeg <= 360))
    throw bad('fovDeg must be an angle in degrees between 1 and 360');
  const number = (name: string, low: number, high: number) => {
    const x = v[name];
    if (x === undefined) return undefined;
    if (typeof x !== 'number' || !(x >= low && x <= high)) throw bad(`${name} must be a number from ${low} to ${high}`);
    return x;
  };
  const across = v.fovAcross as FovAcross | undefined;
  if (across !== undefined && !['longSide', 'width', 'height', 'diagonal', 'circle'].includes(across))
    throw bad('fovAcross must be longSide, width, height, diagonal or circle');
  const curve = v.curve as Curve | undefined;
  try {
    if (curve !== undefined) curveFunction(curve);
  } catch {
    throw bad(`curve must be ${CURVE_NAMES}`);
  }
  return {
    projection,
    views,
    fovDeg,
    fovAcross: across,
    curve,
    ndStops: number('ndStops', 0, 30),
    transmission: number('transmission', 0.05, 1),
    tiltDeg: number('tiltDeg', -90, 90),
    anticlockwise: v.anticlockwise === true,
    rows: parseRows(v.rows, views, bad),
    twoCircles: parseCircles(v.twoCircles, views, bad),
    learned: parseLearned(v.learned, bad),
    glare: parseGlare(v.glare, bad),
    sensitivity: parseSensitivity(v.sensitivity, bad),
  };
}

type Bad = (message: string) => FileProblem;

function parseRows(value: unknown, views: number, bad: Bad): Rig['rows'] {
  if (value === undefined) return undefined;
  const rows = Array.isArray(value) ? (value as { tiltDeg?: unknown; views?: unknown }[]) : [];
  const good =
    rows.length > 0 &&
    rows.every(
      (r) =>
        typeof r.tiltDeg === 'number' &&
        Math.abs(r.tiltDeg) <= 90 &&
        typeof r.views === 'number' &&
        Number.isInteger(r.views) &&
        r.views >= 1,
    );
  if (!good) throw bad('rows must be a list of {"tiltDeg", "views"} with tilts from -90 to 90');
  const sum = rows.reduce((n, r) => n + (r.views as number), 0);
  if (sum !== views) throw bad(`rows add up to ${sum} views, views says ${views}`);
  return rows as { tiltDeg: number; views: number }[];
}

function parseCircles(value: unknown, views: number, bad: Bad): boolean | undefined {
  if (value !== true) return undefined;
  if (views % 2 !== 0) throw bad('with twoCircles views is an even number: two in every frame');
  return true;
}

function parseLearned(value: unknown, bad: Bad): Rig['learned'] {
  if (value === undefined || value === null) return undefined;
  const {
    poly,
    focalUncertainty,
    falloff,
    pupilMmPerM,
    response: told,
  } = value as Partial<Record<'poly' | 'focalUncertainty' | 'falloff' | 'pupilMmPerM' | 'response', unknown>>;
  const numbers =
    Array.isArray(poly) && poly.length === 2 && poly.every((k) => typeof k === 'number' && Math.abs(k) < 1);
  if (!numbers || typeof focalUncertainty !== 'number' || !(focalUncertainty > 0 && focalUncertainty < 1))
    throw bad('learned must be {"poly": [k1, k2], "focalUncertainty": share}');
  const known = parseFalloff(falloff, bad);
  const response = parseResponse(told, bad);
  if (pupilMmPerM !== undefined && !(typeof pupilMmPerM === 'number' && Math.abs(pupilMmPerM) <= MOST_PUPIL))
    throw bad(`learned.pupilMmPerM must be a number from -${MOST_PUPIL} to ${MOST_PUPIL}`);
  return {
    poly: [poly[0], poly[1]],
    focalUncertainty,
    ...(known ? { falloff: known } : {}),
    ...(pupilMmPerM === undefined ? {} : { pupilMmPerM }),
    ...(response ? { response } : {}),
  };
}

function parseFalloff(value: unknown, bad: Bad): NonNullable<Rig['learned']>['falloff'] {
  if (value === undefined || value === null) return null;
  const { terms, uncertaintyStops } = value as { terms?: unknown; uncertaintyStops?: unknown };
  const numbers = Array.isArray(terms) && terms.length === 3 && terms.every((k) => typeof k === 'number');
  if (!numbers || typeof uncertaintyStops !== 'number' || !(uncertaintyStops > 0))
    throw bad('learned.falloff must be {"terms": [a2, a4, a6], "uncertaintyStops": stops}');
  return { terms: [terms[0], terms[1], terms[2]], uncertaintyStops };
}

function parseResponse(value: unknown, bad: Bad): KeptResponse | null {
  if (value === undefined || value === null) return null;
  const { curve, departures } = value as { curve?: unknown; departures?: unknown };
  const lists =
    Array.isArray(departures) &&
    departures.length === 3 &&
    departures.every(
      (d) =>
        Array.isArray(d) &&
        d.length === RESPONSE_KNOTS &&
        d.every((v) => typeof v === 'number' && Math.abs(v) <= MOST_DEPARTURE),
    );
  if (typeof curve !== 'string' || !lists)
    throw bad(
      `learned.response must be {"curve": name, "departures": three lists of ${RESPONSE_KNOTS} numbers from -${MOST_DEPARTURE} to ${MOST_DEPARTURE}}`,
    );
  try {
    curveFunction(curve as Curve);
  } catch {
    throw bad(`learned.response.curve must be ${CURVE_NAMES}`);
  }
  return { curve: curve as Curve, departures: departures as KeptResponse['departures'] };
}

function parseGlare(value: unknown, bad: Bad): Rig['glare'] {
  if (value === undefined || value === null) return undefined;
  const { curve, measuredOn } = value as { curve?: { angleDeg: number; perSr: number }[]; measuredOn?: string };
  if (
    !Array.isArray(curve) ||
    curve.length < 2 ||
    !curve.every(
      (p, i) => p.angleDeg >= 0 && p.angleDeg <= 180 && p.perSr >= 0 && (i === 0 || p.angleDeg > curve[i - 1].angleDeg),
    )
  )
    throw bad('glare.curve must be two or more {"angleDeg", "perSr"} with ascending angles');
  return { curve, measuredOn: measuredOn ?? null };
}

function parseSensitivity(value: unknown, bad: Bad): Rig['sensitivity'] {
  if (value === undefined || value === null) return undefined;
  const { stops, uncertaintyStops, measuredOn, roundId } = value as Partial<Record<string, unknown>>;
  const numbers = typeof stops === 'number' && Math.abs(stops) <= MOST_SENSITIVITY_STOPS;
  if (!numbers || typeof uncertaintyStops !== 'number' || !(uncertaintyStops > 0))
    throw bad(
      `sensitivity must be {"stops", "uncertaintyStops"}, at most ${MOST_SENSITIVITY_STOPS} stops from nominal`,
    );
  return {
    stops,
    uncertaintyStops,
    measuredOn: typeof measuredOn === 'string' ? measuredOn : null,
    ...(typeof roundId === 'string' ? { roundId } : {}),
  };
}
