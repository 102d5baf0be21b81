import type { Vec3, PictureCamera, Quaternion, PlateOnFormat, StationOffset } from '@tawny/core';
import { onPlate } from '@tawny/core/camera/onPlate';
import { cameraOfTake, carriedCamera, projectToPlate, unprojectFromPlate } from '@tawny/core/camera/plateCamera';
import { shiftSeen, stationFromCamera } from '@tawny/core/camera/stationFromCamera';
import { attitudeFromQuaternion, quaternionFromAttitude } from '@tawny/core/orient/attitude';
import { conjugate, rotate } from '@tawny/core/orient/quaternion';
import { anglesFromDirection, DEG, directionFromAngles, wrap180 } from '@tawny/core/sphere/direction';
import type { CameraBody, LensRecord, Location, Plate, Station, Take } from '@tawny/contract';

/** How a panorama lies against the plate's frame, as it is turned by hand: degrees. */
export interface HandTurn {
  /** Added to every azimuth of the panorama. */
  yawDeg: number;
  /** Lean of the panorama along its azimuth 0, and across it. */
  tiltDeg: number;
  rollDeg: number;
}

/** The lens that everything is seen through, on the plate's own pixels, and how its camera lies. */
export interface SightView extends Pick<PlateOnFormat, 'optics' | 'widthPx' | 'heightPx' | 'squeeze' | 'fit'> {
  /** Camera to the world, or to the set frame in which it looks along azimuth 0. */
  attitude: Quaternion;
  headingKnown: boolean;
  tiltKnown: boolean;
}

export const quaternionOf = (t: HandTurn): Quaternion =>
  quaternionFromAttitude({ headingDeg: t.yawDeg, tiltDeg: t.tiltDeg, rollDeg: t.rollDeg });

export function handTurnOf(q: Quaternion): HandTurn {
  const { headingDeg, tiltDeg, rollDeg } = attitudeFromQuaternion(q);
  return { yawDeg: wrap180(headingDeg), tiltDeg, rollDeg };
}

/** A take with what its picture told of its camera, kept or only just drawn. */
export type SeenTake = Omit<Take, 'pictureCamera'> & { pictureCamera: PictureCamera | null };

/** The sight of a take: its camera on the pixels of the plate (of its recording format without one). Null when the kit does not know its format or lens. */
export function sightOf(
  take: SeenTake,
  plate: Plate | undefined,
  kit: { bodies: readonly CameraBody[]; lenses: readonly LensRecord[] },
  place: Location,
): SightView | null {
  const body = kit.bodies.find((b) => b.id === take.bodyId);
  const lens = kit.lenses.find((l) => l.id === take.lensId);
  const camera = cameraOfTake(take, body, lens, place);
  if (!camera) return null;
  const { headingDeg, tiltDeg, rollDeg } = carriedCamera(take, place);
  return {
    ...onPlate(camera, plate ?? camera, take.flopped && plate !== undefined),
    attitude: quaternionFromAttitude({ headingDeg: headingDeg ?? 0, tiltDeg: tiltDeg ?? 0, rollDeg: rollDeg ?? 0 }),
    headingKnown: headingDeg !== null,
    tiltKnown: tiltDeg !== null,
  };
}

/** Where a direction of the world stands in the plate, pixels; null behind the camera. */
export const inSight = (view: SightView, direction: Vec3): { xPx: number; yPx: number } | null =>
  projectToPlate(view.optics, rotate(conjugate(view.attitude), direction));

/** How far to the right of the view and above it something stands, degrees, and whether the picture shows it. */
export function whereInSight(view: SightView, direction: Vec3) {
  const at = inSight(view, direction);
  const own = anglesFromDirection(rotate(conjugate(view.attitude), direction));
  const inside = at !== null && at.xPx >= 0 && at.yPx >= 0 && at.xPx <= view.widthPx && at.yPx <= view.heightPx;
  return { at: inside ? at : null, rightDeg: wrap180(own.azimuthDeg), upDeg: own.elevationDeg };
}

/** The world's horizon in the plate, in pieces: where the camera leans, it does too. */
export function horizonLine(view: SightView): { azimuthDeg: number; xPx: number; yPx: number }[] {
  const { azimuthDeg: middle } = anglesFromDirection(rotate(view.attitude, [0, 0, -1]));
  return Array.from({ length: 121 }, (_, k) => middle - 60 + k).flatMap((azimuthDeg) => {
    const at = inSight(view, directionFromAngles(azimuthDeg, 0));
    return at ? [{ azimuthDeg, ...at }] : [];
  });
}

/** World direction under a pixel of the plate; null where the lens sends no ray. */
export function directionAt(view: SightView, xPx: number, yPx: number): Vec3 | null {
  const ray = unprojectFromPlate(view.optics, xPx, yPx);
  return ray && rotate(view.attitude, ray);
}

/** Azimuth that the view looks along, degrees: in the set frame while its heading is not known. */
export const headingOf = (view: SightView): number => anglesFromDirection(rotate(view.attitude, [0, 0, -1])).azimuthDeg;

/** Degrees to the right and down that a step of so many pixels in the middle of the plate turns. */
export const degreesOf = ({ optics }: SightView, dxPx: number, dyPx: number): [number, number] => [
  dxPx / optics.focalXPx / DEG,
  dyPx / optics.focalYPx / DEG,
];

/** A drag in the picture of a camera that looks along a heading: what it sees goes along to the right and down, degrees. */
export function dragged(t: HandTurn, headingDeg: number, rightDeg: number, downDeg: number): HandTurn {
  const ahead = (headingDeg - t.yawDeg) * DEG;
  return {
    yawDeg: t.yawDeg + rightDeg,
    tiltDeg: t.tiltDeg - downDeg * Math.cos(ahead),
    rollDeg: t.rollDeg + downDeg * Math.sin(ahead),
  };
}

/** Where a station lies from a take's camera, as far as the log tells. */
export const offsetSeen = (take: Take, station: Station, view: SightView): StationOffset | null =>
  stationFromCamera(take, station, view.headingKnown ? headingOf(view) : null);

/** How far to the right and up a thing in a direction of the world stands when it is seen from the station, degrees. */
export function shiftAt(view: SightView, offset: StationOffset, direction: Vec3, distanceM: number) {
  const { azimuthDeg, elevationDeg } = anglesFromDirection(direction);
  return shiftSeen(offset, directionFromAngles(azimuthDeg - headingOf(view), elevationDeg), distanceM);
}

/** Azimuth from the foot to the tip of a shadow that was drawn on level ground, degrees; null where an end is not on the ground. */
export function shadowAzimuthDeg(
  view: SightView,
  line: { from: { x: number; y: number }; to: { x: number; y: number } },
): number | null {
  const [foot, tip] = [directionAt(view, line.from.x, line.from.y), directionAt(view, line.to.x, line.to.y)];
  if (!foot || !tip || !(foot[1] < -1e-3) || !(tip[1] < -1e-3)) return null;
  const at = (d: Vec3) => [d[0] / -d[1], d[2] / -d[1]] as const;
  const [a, b] = [at(foot), at(tip)];
  if (Math.hypot(b[0] - a[0], b[1] - a[1]) < 1e-3) return null;
  return anglesFromDirection([b[0] - a[0], 0, b[1] - a[1]]).azimuthDeg;
}
