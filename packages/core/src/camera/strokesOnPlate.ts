import { undistort } from './distortion';
import type { KnownLength } from './heightFromLength';
import type { PlateOnFormat } from './onPlate';
import type { Stroke, StrokeFamily } from './strokeFamily';
import { cameraFromStrokes, type CameraFromStrokes, type Logged, type StrokesInput } from './strokes';

/** Strokes as they were drawn on a plate, in its own pixels. */
export interface DrawnStrokes {
  families: readonly StrokeFamily[];
  knownLength: KnownLength | null;
}

/** What is logged of a take's camera. */
interface LoggedHere {
  focalLengthMm: number;
  focalMeasured: boolean;
  tiltDeg: number | null;
  heightM: number | null;
}

/** A stroke's end lies this far from its edge (one sigma), as a share of the picture's width; on small pictures a pixel's part. */
const END_SHARE = 0.7 / 1920;
const LEAST_END_PX = 0.5;
/** Edges are built off their way by this much (one sigma about each axis), degrees: a plumb line's part and a mason's. */
export const BUILT_DEG = 0.15;
/** A lens that nobody measured bends by this much (one sigma of the first radial term). */
export const BARREL = 0.005;
/** 95 % half widths of what is logged: a focal length by lens data or read off the barrel (share), a tilt, a lens height. */
export const LOGGED_WITHIN = { focalMeasured: 0.01, focalRead: 0.04, tiltDeg: 0.5, heightM: 0.05 } as const;

/**
 * What was drawn on a plate as `cameraFromStrokes` takes it: seen straight through the lens (distortion taken out), not mirrored, with what is
 * logged as priors.
 * @throws RangeError for a stroke that the lens sends no ray to
 */
export function strokesOnPlate(plate: PlateOnFormat, drawn: DrawnStrokes, logged: LoggedHere): StrokesInput {
  const { optics } = plate;
  const flopped = optics.focalXPx < 0;
  const straight = (x: number, y: number): [number, number] => {
    const [fx, fy] = [Math.abs(optics.focalXPx), optics.focalYPx];
    const seen: [number, number] = [((flopped ? -1 : 1) * (x - optics.centreXPx)) / fx, (y - optics.centreYPx) / fy];
    const ideal = optics.distortion ? undistort(optics.distortion, ...seen) : seen;
    if (!ideal) throw new RangeError(`the lens sends no ray to ${x.toFixed(0)}, ${y.toFixed(0)}`);
    return [optics.centreXPx + fx * ideal[0], optics.centreYPx + fy * ideal[1]];
  };
  const within = logged.focalMeasured ? LOGGED_WITHIN.focalMeasured : LOGGED_WITHIN.focalRead;
  const known = (value: number, uncertainty: number): Logged => ({ value, uncertainty });
  return {
    widthPx: plate.widthPx,
    heightPx: plate.heightPx,
    gateWidthMm: plate.gateWidthMm,
    gateHeightMm: plate.gateHeightMm,
    // The lens's own, whether the plate still shows it or not.
    squeeze: (plate.widthPx * plate.gateHeightMm * plate.squeeze) / (plate.heightPx * plate.gateWidthMm),
    sigmaPx: Math.max(LEAST_END_PX, END_SHARE * plate.widthPx),
    builtDeg: BUILT_DEG,
    barrel: optics.distortion ? 0 : BARREL,
    families: drawn.families.map((f) => ({
      ...f,
      strokes: f.strokes.map(([x1, y1, x2, y2]): Stroke => [...straight(x1, y1), ...straight(x2, y2)]),
    })),
    focalLengthMm: null,
    cameraHeightM: null,
    lens: null,
    prior: {
      focalLengthMm: known(logged.focalLengthMm, within * logged.focalLengthMm),
      ...(logged.tiltDeg === null ? {} : { tiltDeg: known(logged.tiltDeg, LOGGED_WITHIN.tiltDeg) }),
      ...(logged.heightM === null ? {} : { cameraHeightM: known(logged.heightM, LOGGED_WITHIN.heightM) }),
    },
    knownLength: drawn.knownLength && {
      ...drawn.knownLength,
      from: straight(...drawn.knownLength.from),
      to: straight(...drawn.knownLength.to),
    },
  };
}

/** An angle that is known no better than this (95 %) is not told, degrees. */
const ANGLE_TOLD_DEG = 15;

/** What a plate's own picture told of its camera. */
export interface CameraOfPlate extends CameraFromStrokes {
  /** Tilt and roll come from the picture, not from the log alone. */
  attitudeTold: boolean;
}

/**
 * A plate's camera from the strokes on it, with what is logged joined in where it agrees. What the picture by itself does not tell (the focal
 * length of upright edges alone, a height without a known length) is null, not the log's value over again.
 * @throws RangeError see `cameraFromStrokes`
 */
export function cameraOfPlate(plate: PlateOnFormat, drawn: DrawnStrokes, logged: LoggedHere): CameraOfPlate {
  const input = strokesOnPlate(plate, drawn, logged);
  const joined = cameraFromStrokes(input);
  const alone = cameraFromStrokes({ ...input, prior: null });
  const focal = alone.focalLengthMm !== null;
  const height = drawn.knownLength !== null;
  return {
    ...joined,
    focalLengthPx: focal ? joined.focalLengthPx : null,
    focalLengthMm: focal ? joined.focalLengthMm : null,
    upM: height ? joined.upM : null,
    uncertainty: {
      ...joined.uncertainty,
      focalLengthMm: focal ? joined.uncertainty.focalLengthMm : null,
      upM: height ? joined.uncertainty.upM : null,
    },
    attitudeTold: alone.uncertainty.tiltDeg < ANGLE_TOLD_DEG && alone.uncertainty.rollDeg < ANGLE_TOLD_DEG,
  };
}

/** What a take carries of a camera that its picture told, with 95 % half widths. */
export const carriedOf = ({ focalLengthMm, tiltDeg, rollDeg, headingDeg, upM, uncertainty }: CameraFromStrokes) => ({
  focalLengthMm,
  tiltDeg,
  rollDeg,
  headingDeg,
  heightM: upM,
  uncertainty: {
    focalLengthMm: uncertainty.focalLengthMm,
    tiltDeg: uncertainty.tiltDeg,
    rollDeg: uncertainty.rollDeg,
    headingDeg: uncertainty.headingDeg,
    heightM: uncertainty.upM,
  },
});
