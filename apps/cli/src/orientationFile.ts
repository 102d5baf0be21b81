import { z } from 'zod';
import {
  assertPlace,
  DECLINATION_SIGMA_DEG,
  magneticDeclinationDeg,
  normalizeQuaternion,
  type OrientationSources,
  type Place,
} from '@tawny/core';
import { lensSchema, onPicture } from './lensFile';

const positive = z.number().positive();
const elevation = z.number().min(-90).max(90);
const position = { eastM: z.number(), upM: z.number(), northM: z.number() };

const compassSchema = z.strictObject({
  name: z.string().optional(),
  panoramaAzimuthDeg: z.number(),
  readingDeg: z.number(),
  biasDeg: z.number().default(0),
  declinationDeg: z.number().min(-180).max(180).nullable().default(null),
  uncertaintyDeg: positive,
});
const markSchema = z.strictObject({
  name: z.string(),
  panoramaAzimuthDeg: z.number(),
  panoramaElevationDeg: elevation,
  azimuthDeg: z.number(),
  elevationDeg: elevation,
  uncertaintyDeg: positive,
});
const pickSchema = z.strictObject({
  name: z.string().optional(),
  panoramaAzimuthDeg: z.number(),
  panoramaElevationDeg: elevation,
  xPx: z.number(),
  yPx: z.number(),
  distanceM: positive.nullable().default(null),
  /** 95 % half width. */
  distanceUncertaintyM: positive.optional(),
  sigmaPx: positive.default(1.5),
});
const plateSchema = z.strictObject({
  focalLengthPx: positive,
  widthPx: positive,
  heightPx: positive,
  squeeze: positive.default(1),
  lens: lensSchema.nullable().default(null),
  headingDeg: z.number().nullable().default(null),
  tiltDeg: elevation,
  rollDeg: z.number(),
  eastM: z.number().nullable().default(null),
  upM: z.number().nullable().default(null),
  northM: z.number().nullable().default(null),
  uncertainty: z
    .strictObject({
      focalLengthMm: z.number().min(0).nullable().optional(),
      headingDeg: z.number().min(0).nullable().optional(),
      tiltDeg: z.number().min(0).nullable().optional(),
      rollDeg: z.number().min(0).nullable().optional(),
      positionM: z.number().min(0).nullable().optional(),
    })
    .default({}),
  // The rest of what `plate-camera` prints, so that its answer can be handed on as it is.
  focalLengthMm: positive.nullable().optional(),
  residualPx: z.number().nullable().optional(),
  verdict: z.string().optional(),
  cause: z.string().nullable().optional(),
  degenerate: z.string().nullable().optional(),
});

export const orientationFileSchema = z.strictObject({
  place: z
    .strictObject({ latitudeDeg: z.number(), longitudeDeg: z.number(), altitudeM: z.number().default(0) })
    .nullable()
    .default(null),
  utc: z.iso.datetime({ offset: true }).nullable().default(null),
  clockUncertaintyS: z.number().min(0).nullable().default(null),
  sun: z
    .union([z.boolean(), z.strictObject({ azimuthDeg: z.number(), elevationDeg: elevation, uncertaintyDeg: positive })])
    .nullable()
    .default(false),
  level: z.strictObject({ uncertaintyDeg: positive }).nullable().default(null),
  hand: z
    .strictObject({ quaternion: z.tuple([z.number(), z.number(), z.number(), z.number()]), uncertaintyDeg: positive })
    .nullable()
    .default(null),
  compass: z.array(compassSchema).default([]),
  marks: z.array(markSchema).default([]),
  picks: z.array(pickSchema).default([]),
  plate: plateSchema.nullable().default(null),
  station: z.strictObject(position).nullable().default(null),
  verticals: z.array(z.tuple([z.number(), elevation, z.number(), elevation])).default([]),
});
export type OrientationFile = z.infer<typeof orientationFileSchema>;

/** What a camera may be off by where its file does not say: 95 % half widths. */
const UNSTATED = { focalShare: 0.01, headingDeg: 3, tiltDeg: 1, rollDeg: 1 } as const;
/** A distance that is stated without more is known to this share. */
const DISTANCE_SHARE = 0.05;
/** A clock that is stated as exact is so to a second. */
const LEAST_CLOCK_S = 1;

/** Place and time of a file of sources. @throws RangeError naming what cannot be */
export function whenAndWhere(f: OrientationFile): { place: Place; utc: Date; clockS: number | null } | null {
  if (!f.place || !f.utc) return null;
  assertPlace(f.place);
  const clockS = f.clockUncertaintyS === null ? null : Math.max(LEAST_CLOCK_S, f.clockUncertaintyS);
  return { place: f.place, utc: new Date(f.utc), clockS };
}

/**
 * The sources of a file for the solver. @param sun as it was found in the panorama or stated, null without one
 * @throws RangeError naming what is missing
 */
export function sourcesOf(
  f: OrientationFile,
  panoramaWidthPx: number,
  sun: { azimuthDeg: number; elevationDeg: number; uncertaintyDeg: number } | null,
): OrientationSources {
  const known = whenAndWhere(f);
  if (sun && !known) throw new RangeError('sun: it tells north only with place and utc');
  const modelDeg = known && magneticDeclinationDeg(known.place, known.utc);
  return {
    panoramaWidthPx,
    sun: sun && known && { ...sun, ...known },
    level: f.level,
    hand: f.hand && { ...f.hand, quaternion: normalizeQuaternion(f.hand.quaternion) },
    compass: f.compass.map((c, k) => {
      const declinationDeg = c.declinationDeg ?? modelDeg;
      if (declinationDeg === null)
        throw new RangeError(`compass.${k}.declinationDeg: state it, or place and utc for the model's`);
      return {
        ...c,
        name: c.name ?? `compass ${k + 1}`,
        declinationDeg,
        declinationSigmaDeg: c.declinationDeg === null ? DECLINATION_SIGMA_DEG : 0,
        modelDeg,
      };
    }),
    marks: f.marks,
    picks: f.picks.map((p, k) => ({
      ...p,
      name: p.name ?? `pick ${k + 1}`,
      distanceShare:
        p.distanceM !== null && p.distanceUncertaintyM ? p.distanceUncertaintyM / p.distanceM : DISTANCE_SHARE,
    })),
    plate: f.plate && plateOf(f.plate),
    station: f.station,
    verticals: f.verticals,
  };
}

function plateOf(p: z.infer<typeof plateSchema>): OrientationSources['plate'] {
  const { uncertainty: u } = p;
  const stated = u.focalLengthMm ?? null;
  const focalShare =
    stated === 0 ? 0 : stated !== null && p.focalLengthMm ? stated / p.focalLengthMm : UNSTATED.focalShare;
  const { eastM, upM, northM } = p;
  const position = eastM === null || upM === null || northM === null ? null : { eastM, upM, northM };
  const bare = {
    focalXPx: p.focalLengthPx / p.squeeze,
    focalYPx: p.focalLengthPx,
    centreXPx: p.widthPx / 2,
    centreYPx: p.heightPx / 2,
    distortion: null,
  };
  return {
    ...(p.lens ? onPicture(p.lens, p.widthPx, p.heightPx) : bare),
    headingDeg: p.headingDeg,
    tiltDeg: p.tiltDeg,
    rollDeg: p.rollDeg,
    position,
    uncertainty: {
      focalShare,
      headingDeg: u.headingDeg ?? UNSTATED.headingDeg,
      tiltDeg: u.tiltDeg ?? UNSTATED.tiltDeg,
      rollDeg: u.rollDeg ?? UNSTATED.rollDeg,
      positionM: u.positionM ?? null,
    },
  };
}
