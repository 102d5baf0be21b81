import type { RgbImage } from '../../image/image';
import { shrinkTo } from '../../image/shrink';
import { unprojectFromPlate, type PlateOptics } from '../../camera/plateCamera';
import { throughLens } from '../../camera/throughLens';
import { NormalEquations } from '../../estimate/normalEquations';
import { anglesFromDirection, DEG, type Vec3 } from '../../sphere/direction';
import { resampleLatlong } from '../../sphere/latlong';
import { quaternionFromAttitude } from '../attitude';
import { fromRotationVector, multiply, rotate, type Quaternion } from '../quaternion';
import { agreeing } from './agreeing';
import { coarseTurn } from './coarseTurn';
import { localContrast, stopsOf } from './localContrast';
import { matchPatches } from './matchPatches';

/** The same thing in plate and panorama, as it was proposed. */
export interface ProposedPick {
  xPx: number;
  yPx: number;
  panoramaAzimuthDeg: number;
  panoramaElevationDeg: number;
  /** Correlation of the two surroundings. */
  score: number;
}

export interface Proposed {
  /** Empty where nothing fits surely enough. */
  picks: ProposedPick[];
  /** Why there is none. */
  reason: string | null;
}

/** What is known of how the plate's camera lay: degrees; the turn of the panorama is not asked for. */
export interface RoughPose {
  tiltDeg: number;
  rollDeg: number;
  /** Within this the tilt is looked for: camera and panorama together. */
  tiltWithinDeg: number;
}

const COARSE_PX = 96;
const COARSE_RADIUS = 12;
/** A long lens on a small panorama may see less of it; below this nothing is told apart. */
const LEAST_SEEN_PX = 32;
/** Places that are looked at closer. */
const PLACES = 6;
const FINEST_PX = 960;
const FINE_RADIUS = 10;
/** The plate is looked at with this many pixels for one of the panorama. */
const FINER = 1.25;
const TILT_STEP_DEG = 2;
/** How far beside a thing may lie, as a share of the view's width: first, and once the turn is known better. */
const REACHES = { first: 0.1, then: 0.05 };
/** Offered only when so many agree, and so large a share of what was matched. */
const LEAST_PICKS = 6;
const LEAST_SHARE = 0.3;
/** They must not all stand in one corner: extent as shares of the view. */
const LEAST_ACROSS = 0.25;
/** Offered at most, best first. */
const MOST = 12;
/** And this far from each other, as a share of the view's width. */
const APART_SHARE = 0.06;

const none = (reason: string): Proposed => ({ picks: [], reason });

/**
 * Proposes the same things in plate and panorama: the plate is laid into the panorama where their local contrast correlates best, corners are
 * matched by their surroundings, and only those stay that agree on one turn. Exposure and white balance of the two may differ.
 * @param plate scene-linear or nearly so, upright
 * @param optics of the plate's own pixels
 */
export function proposePicks(panorama: RgbImage, plate: RgbImage, optics: PlateOptics, pose: RoughPose): Proposed {
  const acrossDeg = (2 * Math.atan(plate.width / 2 / Math.abs(optics.focalXPx))) / DEG;
  const seenPx = (acrossDeg * panorama.width) / 360;
  if (seenPx < LEAST_SEEN_PX)
    return none(`the plate shows only ${Math.round(seenPx)} pixels of the panorama across: pick by hand`);
  const coarse = scaled(plate, optics, Math.min(COARSE_PX, seenPx));
  const columns = Math.min(panorama.width, Math.round((360 / acrossDeg) * coarse.image.width));
  const small = resampleLatlong(panorama, columns - (columns % 2));
  const tilts: number[] = [];
  for (let d = -pose.tiltWithinDeg; d <= pose.tiltWithinDeg + 1e-9; d += TILT_STEP_DEG) tilts.push(pose.tiltDeg + d);
  const places = coarseTurn(
    localContrast(stopsOf(small), COARSE_RADIUS, true),
    localContrast(stopsOf(coarse.image), COARSE_RADIUS),
    coarse.optics,
    tilts,
    pose.rollDeg,
    PLACES,
  );
  const widthPx = Math.min(FINEST_PX, Math.max(2 * COARSE_PX, FINER * seenPx));
  const half = scaled(plate, optics, widthPx / 2);
  const tried = places.map((p) => {
    const attitude = quaternionFromAttitude({ headingDeg: p.azimuthDeg, tiltDeg: p.tiltDeg, rollDeg: pose.rollDeg });
    return { attitude, ...found(panorama, half, attitude, REACHES.first) };
  });
  const best = tried.reduce<(typeof tried)[number] | null>((a, b) => (a && a.agreed.length >= b.agreed.length ? a : b), null); // prettier-ignore
  if (!best || best.agreed.length < LEAST_PICKS)
    return none('the plate fits nowhere into the panorama surely enough: pick by hand');
  const fine = scaled(plate, optics, widthPx);
  const attitude = turnedOnto(best.agreed, best.attitude);
  const { agreed, matched } = found(panorama, fine, attitude, REACHES.then);
  const kept = spread(agreed, APART_SHARE * fine.image.width);
  const extent = (of: (p: Pair) => number) => Math.max(...agreed.map(of)) - Math.min(...agreed.map(of));
  if (
    kept.length < LEAST_PICKS ||
    agreed.length < LEAST_SHARE * matched ||
    extent((p) => p.x) < LEAST_ACROSS * fine.image.width
  )
    return none('too few things of the plate are found again in the panorama: pick by hand');
  return {
    picks: kept.slice(0, MOST).map((p) => {
      const at = anglesFromDirection(p.there);
      return {
        xPx: p.x / fine.sx,
        yPx: p.y / fine.sy,
        panoramaAzimuthDeg: at.azimuthDeg,
        panoramaElevationDeg: at.elevationDeg,
        score: p.score,
      };
    }),
    reason: null,
  };
}

/** The best of those that lie together, best first. */
function spread(pairs: readonly Pair[], apartPx: number): Pair[] {
  const kept: Pair[] = [];
  for (const p of [...pairs].sort((a, b) => b.score - a.score))
    if (kept.every((k) => Math.hypot(k.x - p.x, k.y - p.y) >= apartPx)) kept.push(p);
  return kept;
}

type Scaled = ReturnType<typeof scaled>;

/** Things of the plate that are found in the panorama, seen through the plate's lens, near where a turn has them; those of them that agree. */
function found(
  panorama: RgbImage,
  plate: Scaled,
  attitude: Quaternion,
  reach: number,
): { agreed: Pair[]; matched: number } {
  const { image, optics } = plate;
  const seen = throughLens(panorama, attitude, { ...optics, widthPx: image.width, heightPx: image.height });
  const matches = matchPatches(
    localContrast(stopsOf(image), FINE_RADIUS),
    localContrast(stopsOf(seen), FINE_RADIUS),
    reach * image.width,
  );
  const agreed = agreeing(matches, image.width).flatMap((m): Pair[] => {
    const [own, there] = [unprojectFromPlate(optics, m.x, m.y), unprojectFromPlate(optics, m.u, m.v)];
    return own && there ? [{ x: m.x, y: m.y, own, there: rotate(attitude, there), score: m.score }] : [];
  });
  return { agreed, matched: matches.length };
}

/** A plate at another width, with its optics. */
function scaled(plate: RgbImage, optics: PlateOptics, widthPx: number) {
  const image = shrinkTo(plate, Math.round(widthPx));
  const [sx, sy] = [image.width / plate.width, image.height / plate.height];
  const { focalXPx, focalYPx, centreXPx, centreYPx, distortion } = optics;
  return {
    image,
    sx,
    sy,
    optics: {
      focalXPx: focalXPx * sx,
      focalYPx: focalYPx * sy,
      centreXPx: centreXPx * sx,
      centreYPx: centreYPx * sy,
      distortion,
    },
  };
}

interface Pair {
  x: number;
  y: number;
  /** Ray in the camera's axes, and direction in the panorama's. */
  own: Vec3;
  there: Vec3;
  score: number;
}

/** Turned by the small angle that brings rays onto directions best (least squares); as it was where that is not told. */
function turnedOnto(pairs: readonly Pair[], attitude: Quaternion): Quaternion {
  const equations = new NormalEquations(3);
  const columns = Int32Array.of(0, 1, 2);
  for (const { own, there } of pairs) {
    const r = rotate(attitude, own);
    // A turn by w moves r by w x r: that has to be there - r.
    const slopes = [[0, r[2], -r[1]], [-r[2], 0, r[0]], [r[1], -r[0], 0]]; // prettier-ignore
    for (let c = 0; c < 3; c++) equations.add(columns, slopes[c], r[c] - there[c], 1);
  }
  for (let c = 0; c < 3; c++) equations.prior(c, 0, 1);
  const { step } = equations.solve();
  return multiply(fromRotationVector([step[0], step[1], step[2]]), attitude);
}
