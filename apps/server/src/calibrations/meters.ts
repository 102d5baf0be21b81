import { In } from 'typeorm';
import { facingKnown, type Exposures, type InstrumentRecord, type LightRound, type Reading } from '@tawny/contract';
import {
  conjugate,
  correctReading,
  directionFromAngles,
  illuminance,
  luminance,
  regionLuminance,
  rotate,
  type NetworkMeter,
  type Quaternion,
  type RgbImage,
  type Vec3,
} from '@tawny/core';
import { decodeFloatPicture } from '@tawny/pipeline';
import type { Queries } from '../db/dataSource';
import { Instruments, Readings, type Owned, type StoredPanorama } from '../db/entities';
import { pixelsOf } from '../panoramas/operations';
import { readingWithinS } from '../records/timeWithin';
import type { Services } from '../services';
import { latestCalibration } from './latest';

/** 95 % half width of what a whole panorama says of illuminance, and of a place in it, stops: docs/accuracy.md. */
export const PANORAMA_STOPS = 0.05;
/** Lean of a panorama whose orientation was not measured beyond which a level plane is not told, degrees. */
const LEVEL_DEG = 5;
/** Radius of what a spot meter sees, and of what it may have been pointed at, degrees. */
const SPOT_DEG = 0.5;
const POINTED_DEG = 2.5;

export interface SeenPanorama {
  image: RgbImage;
  /** To the world; null while nobody knows where it faces. */
  rotation: Quaternion | null;
  levelDeg: number;
  clipped: boolean;
}

export const shownWords = ({ kind, shown }: Pick<Reading, 'kind' | 'shown'>) =>
  `${Number(shown.toPrecision(5))} ${kind === 'spot' ? 'cd/m²' : 'lux'}`;

/** A reading of light for the network, or why it cannot be one. */
function meterOf(
  reading: Owned<Reading>,
  instrument: InstrumentRecord | null,
  panorama: SeenPanorama,
): NetworkMeter | string {
  const { planeAzimuthDeg, planeElevationDeg } = reading;
  const spot = reading.kind === 'spot';
  if (planeElevationDeg === null || !facingKnown(reading))
    return spot ? 'nobody said where it was pointed' : 'nobody said where its plane faced';
  if (!spot && reading.receptor === 'dome') return 'a dome has no plane: the flat receptor tells';
  const { value, uncertainty } = correctReading(spot ? 'spot' : 'lux', reading.shown, instrument, null);
  if (!(value > 0)) return 'it shows no light';
  const normal = { azimuthDeg: planeAzimuthDeg ?? 0, elevationDeg: planeElevationDeg };
  const world = directionFromAngles(normal.azimuthDeg, normal.elevationDeg);
  const there = spot ? spotIn(panorama, world) : planeIn(panorama, world, Math.abs(planeElevationDeg) === 90);
  if (typeof there === 'string') return there;
  const where =
    normal.elevationDeg === 90 && !spot
      ? 'the level'
      : `${spot ? '' : 'a plane at '}${normal.azimuthDeg}°, ${normal.elevationDeg}°`;
  return {
    name: `${shownWords(reading)} ${spot ? 'at' : 'on'} ${where}`,
    kind: spot ? 'cdm2' : 'lux',
    value,
    uncertaintyStops: Math.log2(1 + uncertainty / value),
    normal: spot ? null : normal,
    seenByPanorama: there,
    timeMs: new Date(reading.takenAt).getTime(),
    timeWithinS: readingWithinS(reading),
  };
}

type Seen = NonNullable<NetworkMeter['seenByPanorama']> | string;

/** What a panorama throws on a plane, unit x sr. */
function planeIn({ image, rotation, levelDeg, clipped }: SeenPanorama, normal: Vec3, upright: boolean): Seen {
  if (clipped) return 'the panorama does not hold its brightest light: it cannot say what falls on a plane';
  if (!rotation && !(upright && levelDeg <= LEVEL_DEG)) return 'where the panorama faces was not measured yet';
  const own = rotation ? rotate(conjugate(rotation), normal) : normal;
  const value = luminance(...illuminance(image, own), image.space);
  return value > 0 ? { value, uncertaintyStops: PANORAMA_STOPS } : 'the panorama throws no light on its plane';
}

/** What a spot meter sees in a panorama; the less even it is there, the less a reading says. */
function spotIn({ image, rotation }: SeenPanorama, towards: Vec3): Seen {
  if (!rotation) return 'where the panorama faces was not measured yet';
  const own = rotate(conjugate(rotation), towards);
  const [value, around] = [SPOT_DEG, POINTED_DEG].map((radius) => regionLuminance(image, own, radius));
  if (!(value > 0) || !(around > 0)) return 'the panorama shows no light there';
  return { value, uncertaintyStops: Math.hypot(PANORAMA_STOPS, 2 * Math.log2(value / around)) };
}

/** A panorama as its small picture holds it, and where it faces. */
export async function seenPanorama(
  db: Queries,
  files: Services['files'],
  panorama: Owned<StoredPanorama>,
): Promise<SeenPanorama> {
  const orientation = (await latestCalibration(db, panorama.productionId, panorama.id))?.orientation ?? null;
  return {
    image: decodeFloatPicture(await files.read(panorama.floatHash), pixelsOf(panorama)),
    rotation: orientation?.frame === 'trueNorth' ? ([...orientation.rotation] as unknown as Quaternion) : null,
    levelDeg: panorama.levelDeg ?? Infinity,
    clipped: panorama.clippedSr > 0,
  };
}

/** Readings of light under a panorama's condition, as the network takes them; the picture is decoded only when there are any. */
export async function metersOf(
  db: Queries,
  files: Services['files'],
  panorama: Owned<StoredPanorama>,
  round: LightRound,
  setupId: string,
) {
  const { productionId } = panorama;
  const where = { productionId, setupId, kind: In(['lux', 'spot']), lightCondition: In([round.lightCondition, '']) };
  const logged = await db.getRepository(Readings).findBy(where);
  const unused: Exposures['unused'] = [];
  const meters: NetworkMeter[] = [];
  const readings: Owned<Reading>[] = [];
  if (logged.length === 0) return { meters, readings, unused, seen: null };
  const instruments = await db.getRepository(Instruments).findBy({ productionId });
  const seen = await seenPanorama(db, files, panorama);
  for (const reading of logged) {
    const meter = meterOf(reading, instruments.find((i) => i.id === reading.instrumentId) ?? null, seen);
    if (typeof meter === 'string') unused.push({ name: shownWords(reading), why: meter });
    else {
      meters.push(meter);
      readings.push(reading);
    }
  }
  return { meters, readings, unused, seen };
}
