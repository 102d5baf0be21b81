import { FileProblem } from '@tawny/formats';
import type { Curve, FovAcross, Projection } from '@tawny/core';

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
  tiltDeg?: number;
  /** Views follow each other anticlockwise seen from above. */
  anticlockwise?: boolean;
}

const PROJECTIONS: Projection[] = ['equidistant', 'equisolid', 'stereographic', 'orthographic', 'rectilinear', 'latlong'];

/** Checks a rig that came from a file. @throws FileProblem naming the file and the field */
export function parseRig(value: unknown, file: string): Rig {
  const bad = (message: string) => new FileProblem('unsupported', file, message);
  if (typeof value !== 'object' || value === null) throw bad('is not a rig: expected {"projection", "fovDeg", "views"}');
  const v = value as Record<string, unknown>;
  const projection = v.projection as Projection;
  if (!PROJECTIONS.includes(projection)) throw bad(`projection must be one of ${PROJECTIONS.join(', ')}`);
  const views = v.views ?? (projection === 'latlong' ? 1 : undefined);
  if (typeof views !== 'number' || !Number.isInteger(views) || views < 1 || views > 60) throw bad('views must be a whole number from 1 to 60');
  const fovDeg = v.fovDeg ?? (projection === 'latlong' ? 360 : undefined);
  if (typeof fovDeg !== 'number' || !(fovDeg > 1 && fovDeg <= 360)) throw bad('fovDeg must be an angle in degrees between 1 and 360');
  const number = (name: string, low: number, high: number) => {
    const x = v[name];
    if (x === undefined) return undefined;
    if (typeof x !== 'number' || !(x >= low && x <= high)) throw bad(`${name} must be a number from ${low} to ${high}`);
    return x;
  };
  const across = v.fovAcross as FovAcross | undefined;
  if (across !== undefined && !['longSide', 'width', 'height', 'diagonal', 'circle'].includes(across)) throw bad('fovAcross must be longSide, width, height, diagonal or circle');
  const curve = v.curve as Curve | undefined;
  if (curve !== undefined && !['srgb', 'linear', 'gamma22'].includes(curve)) throw bad('curve must be srgb, linear or gamma22');
  return {
    projection, views, fovDeg, fovAcross: across, curve,
    ndStops: number('ndStops', 0, 30), transmission: number('transmission', 0.05, 1), tiltDeg: number('tiltDeg', -90, 90),
    anticlockwise: v.anticlockwise === true,
  };
}
