import { sunPosition, type Place } from '@tawny/core';
import { createQuay, toWorld, type Scene, type SetPoint, type SunDisc } from '@tawny/simset';

/** Everything that decides what the simulated set looks like: plain data, so that threads can rebuild it. */
export interface SetSpec {
  scene: 'quay';
  seed: number;
  place: Place;
  utc: string;
  turbidity: number;
}

/** Gannet Staithe. */
export const DEMO_PLACE: Place = { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4 };

/** Where the panorama camera stands on the quay. */
export const DEMO_STATION: SetPoint = { eastM: 0, upM: 1.62, northM: 0 };

/** @throws RangeError when the sun is too low for the sky model */
export function createScene(spec: SetSpec): Scene {
  const sun = sunPosition(spec.place, new Date(spec.utc));
  if (sun.elevationDeg < 1) {
    throw new RangeError(`the sun stands at ${sun.elevationDeg.toFixed(1)} degrees at ${spec.utc}: the simulated quay needs it at 1 degree or higher`);
  }
  return createQuay({ azimuthDeg: sun.azimuthDeg, elevationDeg: sun.elevationDeg, diameterDeg: sun.diameterDeg, turbidity: spec.turbidity }, spec.seed);
}

/** The sun's disc as a point of the set sees it. */
export function discAt(scene: Scene, point: SetPoint): SunDisc {
  const visible = scene.sunVisibility(toWorld(point));
  const [r, g, b] = scene.sky.sunRadiance;
  return { direction: scene.sky.sunDirection, radius: scene.sky.sunRadius, radiance: [r * visible, g * visible, b * visible] };
}
