import { DEFAULT_TRANSMISSION, tStopFromFNumber } from '../photometry/exposure';
import { quaternionFromAttitude, type Attitude } from '../orient/attitude';
import { trueHeadingDeg } from '../orient/declination';
import type { Place } from '../sun/ephemeris';
import { conjugate, rotate, type Quaternion } from '../orient/quaternion';
import type { Vec3 } from '../sphere/direction';
import { depthOfField, type DepthOfField } from './depthOfField';
import { distort, undistort, type Distortion } from './distortion';
import { fieldOfViewDeg } from './fieldOfView';

/** What the log says of a take's camera. Positions and height are the lens's (its entrance pupil), focus is from the sensor plane. */
export interface LoggedCamera {
  focalLengthMm: number;
  tStop: number;
  focusM: number | null;
  /** On the plan of the set; null when nobody placed it. */
  eastM: number | null;
  northM: number | null;
  heightM: number | null;
  tiltDeg: number | null;
  /** True bearing, see `trueHeadingDeg`. */
  headingDeg: number | null;
  /** Nobody logs a roll: level unless its picture told. */
  rollDeg?: number;
}

/** What a plate's picture itself told of its camera (`cameraFromStrokes`); null what it did not tell: then what is logged stands. */
export interface PictureCamera {
  focalLengthMm: number | null;
  tiltDeg: number;
  rollDeg: number;
  headingDeg: number | null;
  heightM: number | null;
}

/** The used window of the sensor and the pixels that record it. */
export interface GateAndPixels {
  gateWidthMm: number;
  gateHeightMm: number;
  widthPx: number;
  heightPx: number;
  squeeze: number;
  circleOfConfusionMm: number;
}

/** What the kit knows of a lens. */
export interface KnownLens {
  squeeze: number;
  /** T = f / sqrt(transmission); null when nobody stated it, and the usual one is assumed. */
  transmission: number | null;
  /** Distance from the sensor plane forward to the entrance pupil, by focal length; may be empty. */
  entrancePupil: readonly { focalMm: number; distanceMm: number }[];
  distortion: { focalMm: number; idealToDistorted: Distortion } | null;
}

/** A camera as its picture is made: CONVENTIONS.md section 5. Picture coordinates in pixels, (0, 0) the top-left corner, y down. */
export interface PlateCamera {
  widthPx: number;
  heightPx: number;
  gateWidthMm: number;
  gateHeightMm: number;
  focalLengthMm: number;
  /** How much wider than high the lens sees on the same length of sensor. */
  squeeze: number;
  focalXPx: number;
  focalYPx: number;
  centreXPx: number;
  centreYPx: number;
  /** Null when the kit knows none at this focal length. */
  distortion: Distortion | null;
  tStop: number;
  fNumber: number;
  circleOfConfusionMm: number;
  /** From the sensor plane, as lenses are engraved. */
  focusM: number | null;
  /** From the entrance pupil, as renderers want it; null without a focus distance or a pupil in the kit. */
  focusFromPupilM: number | null;
  /** Entrance pupil ahead of the sensor plane, metres; null when the kit does not know it. */
  pupilM: number | null;
  /** Where the entrance pupil stood and how the camera lay; null when height, tilt or heading was not logged. */
  pose: CameraPose | null;
}

/** What projects a direction into the picture. */
export type PlateOptics = Pick<PlateCamera, 'focalXPx' | 'focalYPx' | 'centreXPx' | 'centreYPx' | 'distortion'>;

export interface CameraPose {
  /** Null when nobody logged where on the plan it stood. */
  position: { eastM: number; upM: number; northM: number } | null;
  heightM: number;
  attitude: Attitude;
  /** Camera to world. */
  rotation: Quaternion;
}

/** Distortion solved at one focal length of a zoom says nothing of another: used within this share. */
const SAME_FOCAL = 0.02;

/**
 * Squeeze of a lens on a recording format: 1 for spherical, 2 for full anamorphic. Either record may state it alone (an
 * adapter belongs to the lens, a mode to the body); the larger one is meant.
 */
export function squeezeOf(format: { squeeze: number }, lens: { squeeze: number }): number {
  return Math.max(format.squeeze, lens.squeeze);
}

/** Distance from the sensor plane forward to the entrance pupil, metres, linear between the table's focal lengths; null of an empty table. */
export function entrancePupilM(table: KnownLens['entrancePupil'], focalLengthMm: number): number | null {
  if (table.length === 0) return null;
  const rows = [...table].sort((a, b) => a.focalMm - b.focalMm);
  const after = rows.findIndex((r) => r.focalMm >= focalLengthMm);
  if (after <= 0) return rows[after === 0 ? 0 : rows.length - 1].distanceMm / 1000;
  const [a, b] = [rows[after - 1], rows[after]];
  const share = (focalLengthMm - a.focalMm) / (b.focalMm - a.focalMm);
  return (a.distanceMm + share * (b.distanceMm - a.distanceMm)) / 1000;
}

/** The f-number behind a T-stop: depth of field and renderers want it. Inverse of `tStopFromFNumber`. */
export function fNumberFromTStop(tStop: number, transmission = DEFAULT_TRANSMISSION): number {
  return tStop / tStopFromFNumber(1, transmission);
}

/** One camera from a take, its recording format and its lens. @throws RangeError for values that no camera has */
export function plateCamera(take: LoggedCamera, format: GateAndPixels, lens: KnownLens): PlateCamera {
  const squeeze = squeezeOf(format, lens);
  const { focalLengthMm, focusM, heightM, tiltDeg, headingDeg } = take;
  for (const [name, value] of [
    ['focal length', focalLengthMm],
    ['gate width', format.gateWidthMm],
    ['gate height', format.gateHeightMm],
    ['T-stop', take.tStop],
  ] as const) {
    if (!(value > 0) || !Number.isFinite(value))
      throw new RangeError(`${name} must be a positive number, not ${value}`);
  }
  const pupilM = entrancePupilM(lens.entrancePupil, focalLengthMm);
  const solved = lens.distortion;
  const attitude =
    heightM === null || tiltDeg === null || headingDeg === null
      ? null
      : { headingDeg, tiltDeg, rollDeg: take.rollDeg ?? 0 };
  return {
    widthPx: format.widthPx,
    heightPx: format.heightPx,
    gateWidthMm: format.gateWidthMm,
    gateHeightMm: format.gateHeightMm,
    focalLengthMm,
    squeeze,
    focalXPx: (focalLengthMm * format.widthPx) / (squeeze * format.gateWidthMm),
    focalYPx: (focalLengthMm * format.heightPx) / format.gateHeightMm,
    centreXPx: format.widthPx / 2,
    centreYPx: format.heightPx / 2,
    distortion: solved && Math.abs(solved.focalMm / focalLengthMm - 1) <= SAME_FOCAL ? solved.idealToDistorted : null,
    tStop: take.tStop,
    fNumber: fNumberFromTStop(take.tStop, lens.transmission ?? DEFAULT_TRANSMISSION),
    circleOfConfusionMm: format.circleOfConfusionMm,
    focusM,
    focusFromPupilM: focusM === null || pupilM === null ? null : Math.max(0, focusM - pupilM),
    pupilM,
    pose: attitude && {
      position:
        take.eastM === null || take.northM === null ? null : { eastM: take.eastM, upM: heightM!, northM: take.northM },
      heightM: heightM!,
      attitude,
      rotation: quaternionFromAttitude(attitude),
    },
  };
}

/** A take as it is logged: its heading by whichever north, its recording format by name. */
export interface LoggedTake extends LoggedCamera {
  headingNorth: 'true' | 'magnetic';
  shotAt: string | Date;
  formatName: string;
  /** What its picture told, where that was adopted: it stands before what is logged. */
  pictureCamera?: PictureCamera | null;
}

/** What a take carries of its camera: the picture's values where they were adopted, else the logged ones. */
export function carriedCamera(take: LoggedTake, place: Place): LoggedCamera {
  const picture = take.pictureCamera;
  return {
    ...take,
    focalLengthMm: picture?.focalLengthMm ?? take.focalLengthMm,
    tiltDeg: picture ? picture.tiltDeg : take.tiltDeg,
    rollDeg: picture?.rollDeg ?? 0,
    headingDeg: trueHeadingDeg(take, place),
    heightM: picture?.heightM ?? take.heightM,
  };
}

/** The camera of a take; null when its body does not record the format. @throws RangeError see `plateCamera` */
export function cameraOfTake(
  take: LoggedTake,
  body: { formats: readonly (GateAndPixels & { name: string })[] } | undefined,
  lens: KnownLens | undefined,
  place: Place,
): PlateCamera | null {
  const format = body?.formats.find((f) => f.name === take.formatName);
  if (!format || !lens) return null;
  return plateCamera(carriedCamera(take, place), format, lens);
}

/** Full angles of view across the picture's middle, degrees, distortion left out. */
export function viewAnglesDeg(
  camera: Pick<PlateCamera, 'gateWidthMm' | 'gateHeightMm' | 'focalLengthMm' | 'squeeze'>,
): {
  across: number;
  up: number;
} {
  return {
    across: fieldOfViewDeg(camera.gateWidthMm, camera.focalLengthMm, camera.squeeze),
    up: fieldOfViewDeg(camera.gateHeightMm, camera.focalLengthMm),
  };
}

/** Depth of field at a focus distance from the sensor plane (the take's own when left out), by the f-number. @throws RangeError see `depthOfField` */
export function depthOfFieldOf(camera: PlateCamera, focusM = camera.focusM): DepthOfField | null {
  if (focusM === null) return null;
  return depthOfField(camera.focalLengthMm, camera.fNumber, focusM, camera.circleOfConfusionMm);
}

/** Picture coordinates of a direction in the camera's frame (-Z ahead, +Y up), distortion included; null for what lies behind. */
export function projectToPlate(camera: PlateOptics, [x, y, z]: Vec3): { xPx: number; yPx: number } | null {
  if (!(z < 0)) return null;
  const [u, v] = camera.distortion ? distort(camera.distortion, x / -z, y / z) : [x / -z, y / z];
  return { xPx: camera.centreXPx + camera.focalXPx * u, yPx: camera.centreYPx + camera.focalYPx * v };
}

/** Unit direction in the camera's frame of picture coordinates; inverse of `projectToPlate`. Null where the lens sends no ray. */
export function unprojectFromPlate(camera: PlateOptics, xPx: number, yPx: number): Vec3 | null {
  const seen: [number, number] = [
    (xPx - camera.centreXPx) / camera.focalXPx,
    (yPx - camera.centreYPx) / camera.focalYPx,
  ];
  const ideal = camera.distortion ? undistort(camera.distortion, ...seen) : seen;
  if (!ideal) return null;
  const n = 1 / Math.hypot(ideal[0], ideal[1], 1);
  return [ideal[0] * n, -ideal[1] * n, -n];
}

/** A point of the world in the camera's picture, seen from the entrance pupil; null behind the camera. @throws RangeError without a pose or a place */
export function worldToPlate(
  camera: PlateCamera,
  point: { eastM: number; upM: number; northM: number },
): { xPx: number; yPx: number } | null {
  const { position, rotation } = poseOf(camera);
  if (!position) throw new RangeError('nobody logged where the camera stood: log its place on the plan');
  const away: Vec3 = [point.eastM - position.eastM, point.upM - position.upM, -(point.northM - position.northM)];
  return projectToPlate(camera, rotate(conjugate(rotation), away));
}

/** World direction that a pixel looks along from the entrance pupil; inverse of `worldToPlate` up to distance. @throws RangeError without a pose */
export function plateToWorld(camera: PlateCamera, xPx: number, yPx: number): Vec3 | null {
  const ray = unprojectFromPlate(camera, xPx, yPx);
  return ray && rotate(poseOf(camera).rotation, ray);
}

function poseOf(camera: PlateCamera): CameraPose {
  if (!camera.pose) throw new RangeError('the camera has no pose: log its height, tilt and heading');
  return camera.pose;
}
