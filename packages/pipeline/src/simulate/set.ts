import { sunPosition, type Place } from '@tawny/core';
import {
  createNetLoft,
  createQuay,
  toWorld,
  type CardLean,
  type PropKind,
  type Scene,
  type SetPoint,
  type SunDisc,
} from '@tawny/simset';

/** Everything that decides what the simulated set looks like: plain data, so that threads can rebuild it. */
export interface SetSpec {
  scene: 'quay' | 'netLoft';
  seed: number;
  place: Place;
  utc: string;
  turbidity: number;
  /** Closed cloud before the sun. */
  overcast?: boolean;
  /** The loft's two lamps burn. */
  lampsOn?: boolean;
  /** References carried in to be photographed. */
  props?: PropKind[];
  /** How the card leans; left out, it stands straight. */
  card?: CardLean;
}

/** Gannet Staithe. */
export const DEMO_PLACE: Place = { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4 };

/** Where the panorama camera stands on the quay. */
export const DEMO_STATION: SetPoint = { eastM: 0, upM: 1.62, northM: 0 };

/** Lowest sun for which the sky models hold. */
const LEAST_SUN_DEG = 1;

/** @throws RangeError when the sun is too low for the sky model */
export function createScene(spec: SetSpec): Scene {
  const sun = sunPosition(spec.place, new Date(spec.utc));
  if (sun.elevationDeg < LEAST_SUN_DEG) {
    throw new RangeError(
      `the sun stands at ${sun.elevationDeg.toFixed(1)} degrees at ${spec.utc}: the simulated set needs it at 1 degree or higher`,
    );
  }
  const sky = {
    azimuthDeg: sun.azimuthDeg,
    elevationDeg: sun.elevationDeg,
    diameterDeg: sun.diameterDeg,
    turbidity: spec.turbidity,
    overcast: spec.overcast,
  };
  return spec.scene === 'netLoft'
    ? createNetLoft(sky, spec.seed, spec.lampsOn ?? false, spec.props, spec.card)
    : createQuay(sky, spec.seed, spec.props, spec.card);
}

/** The sun's disc as a point of the set sees it. */
export function discAt(scene: Scene, point: SetPoint): SunDisc {
  const visible = scene.sunVisibility(toWorld(point));
  const [r, g, b] = scene.sky.sunRadiance;
  return {
    direction: scene.sky.sunDirection,
    radius: scene.sky.sunRadius,
    radiance: [r * visible, g * visible, b * visible],
  };
}
