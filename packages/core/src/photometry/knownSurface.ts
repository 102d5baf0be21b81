import { luminance } from '../colour/primaries';
import { halfWidth95, sigmaOf95 } from '../estimate/confidence';
import { median, quantile, spreadOfResiduals } from '../estimate/robust';
import type { RgbImage } from '../image/image';
import type { BallOutline } from '../optics/mirrorBall';
import { rotate } from '../orient/quaternion';
import { quaternionFromAttitude } from '../orient/attitude';
import { anglesFromDirection, directionFromAngles, dot, normalize, type Vec3 } from '../sphere/direction';
import { anglesAtPixel, assertLatlong, averagedLatlong, rowSolidAngle } from '../sphere/latlong';

/** A smooth quantity of directions, half as high as wide. */
interface Plane {
  width: number;
  data: Float32Array;
}

/** What a panorama sends to a small thing: from every direction, and onto a perfect white that faces every direction; luminance in its own units. */
export interface LightOnThings {
  from: Plane;
  white: Plane;
}

/** Widths of the two: mirrored light is compared over some degrees, and what falls on a plane changes slowly. */
const FROM_PX = 128;
const WHITE_PX = 64;
/** Points across a ball that are looked at, and the part of its radius: nearer to its edge an outline a little off counts most. */
const ACROSS = 28;
const INNER = 0.85;
/** Points that predict less than this share of the brightest hold reflections and stray light rather than what is computed. */
const LEAST_SHARE = 0.04;
/** Neighbouring points share their errors: so many of them tell something of their own. */
const OWN_POINTS = 12;
/** Whether light comes from far away (sun and sky) or from windows and lamps, which some metres change by a stop. */
export type LightPlace = 'open' | 'near';
/** What falls on a thing that stands some metres from the panorama, one sigma: a ball that looks as it should, and a plane that shows nothing but its brightness. */
const ELSEWHERE = { open: { ball: 0.12, plane: 0.25 }, near: { ball: 0.6, plane: 0.6 } };
/** A ball in the open whose points depart from what they should by more than this (robust, one sigma) is lit otherwise; nearby lights depart by themselves. */
const LIT_OTHERWISE = { grey: 0.2, chrome: 0.5 };
/** Headings whose points spread this much more than the best one's are as good as it. */
const AS_GOOD = 1.25;
const HEADINGS = 72;
/** Tilts of a camera whose tilt is not known, degrees. */
const UNKNOWN_TILTS = [-24, -16, -8, 0, 8, 16, 24];
/** A ball is at least so large. */
const LEAST_RADIUS_PX = 12;

/**
 * Light of a panorama on things near it, ready to be asked many times.
 * @param panorama in its own frame, any unit
 * @throws RangeError unless width = 2 x height
 */
export function lightOnThings(panorama: RgbImage): LightOnThings {
  assertLatlong(panorama);
  const { data, space } = panorama;
  const grey = Float32Array.from({ length: data.length / 3 }, (_, i) =>
    luminance(data[3 * i], data[3 * i + 1], data[3 * i + 2], space),
  );
  const from =
    panorama.width > FROM_PX
      ? { width: FROM_PX, data: averagedLatlong(grey, 1, panorama.width, FROM_PX) }
      : { width: panorama.width, data: grey };
  const height = from.width / 2;
  const sources = Array.from(from.data, (light, i) => ({
    flux: light * rowSolidAngle(Math.floor(i / from.width), from.width, height),
    way: directionAt(i, from.width),
  }));
  const white = new Float32Array((WHITE_PX * WHITE_PX) / 2);
  for (let i = 0; i < white.length; i++) {
    const normal = directionAt(i, WHITE_PX);
    let sum = 0;
    for (const { flux, way } of sources) {
      const share = dot(way, normal);
      if (share > 0) sum += share * flux;
    }
    white[i] = sum / Math.PI;
  }
  return { from, white: { width: WHITE_PX, data: white } };
}

function directionAt(i: number, width: number): Vec3 {
  const { azimuthDeg, elevationDeg } = anglesAtPixel(i % width, Math.floor(i / width), width, width / 2);
  return directionFromAngles(azimuthDeg, elevationDeg);
}

/** Bilinear between the centres of a plane's cells. */
function at({ width, data }: Plane, direction: Vec3): number {
  const { azimuthDeg, elevationDeg } = anglesFromDirection(direction);
  const height = width / 2;
  const fx = (azimuthDeg / 360) * width - 0.5;
  const fy = Math.max(0, Math.min(height - 1.001, ((90 - elevationDeg) / 180) * height - 0.5));
  const [xa, ya] = [Math.floor(fx), Math.floor(fy)];
  const [tx, ty] = [fx - xa, fy - ya];
  const [left, right] = [(xa + width) % width, (xa + 1) % width];
  const row = (y: number) => data[y * width + left] * (1 - tx) + data[y * width + right] * tx;
  return row(ya) * (1 - ty) + row(ya + 1) * ty;
}

/** What a surface of known reflectance in a plate says of the gain, by the light of a panorama alone. */
export interface SurfaceGain {
  /** Plate over panorama, stops. */
  gainStops: number;
  /** 95 % half width. */
  uncertaintyStops: number;
}

export interface BallGain extends SurfaceGain {
  /** Azimuth of the panorama at which the camera must look for the ball to be lit as it is, degrees. */
  headingDeg: number;
  /** By how much the ball's points depart from what they should show, one sigma, stops. */
  spreadStops: number;
  /** Whether that is more than the panorama's own light would leave. */
  litOtherwise: boolean;
}

/** The pinhole that a plate was taken with, its pixels; of a flopped plate the horizontal focal length is negative. */
export interface PlatePinhole {
  focalXPx: number;
  focalYPx: number;
  centreXPx: number;
  centreYPx: number;
  /** Above the horizon, degrees; null when nobody logged it: every usual one is tried. */
  tiltDeg: number | null;
}

interface Point {
  stops: number;
  /** Normal and mirrored direction in the camera's frame. */
  normal: Vec3;
  mirrored: Vec3;
}

/** Points of a ball with what the plate shows there. */
function pointsOf(picture: RgbImage, outline: BallOutline, camera: PlatePinhole, clipped?: ArrayLike<number>): Point[] {
  const { centreX, centreY, radiusPx } = outline;
  const way = (x: number, y: number): Vec3 =>
    normalize([(x - camera.centreXPx) / camera.focalXPx, (camera.centreYPx - y) / camera.focalYPx, -1]);
  const middle = way(centreX, centreY);
  // The outline is the cone that touches the ball: sin(half angle) = 1 / distance in radii.
  const distance = 1 / Math.sin(Math.atan(radiusPx / Math.abs(camera.focalXPx)));
  const out: Point[] = [];
  const step = (2 * radiusPx) / ACROSS;
  for (let v = -ACROSS / 2 + 0.5; v < ACROSS / 2; v++) {
    for (let u = -ACROSS / 2 + 0.5; u < ACROSS / 2; u++) {
      if (Math.hypot(u, v) > (INNER * ACROSS) / 2) continue;
      const [x, y] = [Math.floor(centreX + u * step), Math.floor(centreY + v * step)];
      const i = y * picture.width + x;
      if (clipped?.[i]) continue;
      const light = luminance(picture.data[3 * i], picture.data[3 * i + 1], picture.data[3 * i + 2], picture.space);
      if (!(light > 0)) continue;
      const d = way(x + 0.5, y + 0.5);
      const along = distance * dot(middle, d);
      const inside = along * along - distance * distance + 1;
      if (inside <= 0) continue;
      const reach = along - Math.sqrt(inside);
      const normal = normalize([0, 1, 2].map((k) => reach * d[k] - distance * middle[k]) as [number, number, number]);
      const back = 2 * dot(d, normal);
      out.push({
        stops: Math.log2(light),
        normal,
        mirrored: [d[0] - back * normal[0], d[1] - back * normal[1], d[2] - back * normal[2]],
      });
    }
  }
  return out;
}

/**
 * Gain of a panorama to a plate by a ball that only the plate shows: what the panorama's light makes of it, against what the plate shows. Where the camera looked in the panorama is not asked: of
 * all headings that one counts under which the ball's points agree, and those as good as it widen the interval.
 * @param picture the plate, scene linear, upright
 * @param kind grey: matt; chrome: a mirror
 * @param reflectance with its 95 % half width, stops
 * @param clipped pixels of the plate that hold no value
 * @throws RangeError when the outline leaves the picture, is too small, or holds no light
 */
export function gainFromBall(
  picture: RgbImage,
  outline: BallOutline,
  camera: PlatePinhole,
  kind: 'grey' | 'chrome',
  reflectance: { value: number; uncertaintyStops: number },
  light: LightOnThings,
  place: LightPlace,
  clipped?: ArrayLike<number>,
): BallGain {
  const { centreX, centreY, radiusPx } = outline;
  if (
    !(centreX >= radiusPx && centreY >= radiusPx) ||
    centreX + radiusPx > picture.width ||
    centreY + radiusPx > picture.height
  )
    throw new RangeError(`the ball marked in the plate lies partly outside the picture (${picture.width} x ${picture.height})`); // prettier-ignore
  if (!(radiusPx >= LEAST_RADIUS_PX))
    throw new RangeError(
      `the ball marked in the plate is only ${(2 * radiusPx).toFixed(0)} pixels across: mark at least ${2 * LEAST_RADIUS_PX}`,
    );
  const points = pointsOf(picture, outline, camera, clipped);
  const plane = kind === 'grey' ? light.white : light.from;
  const least = LEAST_SHARE * plane.data.reduce((most, v) => Math.max(most, v), 0) * (kind === 'grey' ? 1 : 0);
  const under = (headingDeg: number, tiltDeg: number) => {
    const turn = quaternionFromAttitude({ headingDeg, tiltDeg, rollDeg: 0 });
    const apart = points.flatMap((p) => {
      const thrown = at(plane, rotate(turn, kind === 'grey' ? p.normal : p.mirrored));
      return thrown > least ? [p.stops - Math.log2(reflectance.value * thrown)] : [];
    });
    if (apart.length < OWN_POINTS) return null;
    const gainStops = median(apart);
    return { headingDeg, gainStops, spreadStops: spreadOfResiduals(apart.map((a) => Math.abs(a - gainStops))) };
  };
  const tilts = camera.tiltDeg === null ? UNKNOWN_TILTS : [camera.tiltDeg];
  const tried = tilts
    .flatMap((tiltDeg) => Array.from({ length: HEADINGS }, (_, k) => under((360 * k) / HEADINGS, tiltDeg)))
    .filter((t) => t !== null);
  if (tried.length === 0) throw new RangeError('the ball marked in the plate holds no light');
  const best = tried.reduce((a, b) => (b.spreadStops < a.spreadStops ? b : a));
  const asGood = tried.filter((t) => t.spreadStops <= AS_GOOD * best.spreadStops).map((t) => t.gainStops);
  const reach = Math.max(...asGood.map((g) => Math.abs(g - best.gainStops)));
  return {
    ...best,
    uncertaintyStops: Math.hypot(
      halfWidth95(
        ELSEWHERE[place].ball,
        best.spreadStops / Math.sqrt(OWN_POINTS),
        sigmaOf95(reflectance.uncertaintyStops),
      ),
      reach,
    ),
    litOtherwise: place === 'open' && best.spreadStops > LIT_OTHERWISE[kind],
  };
}

/** Planes that lie level lie so by this, one sigma in degrees. */
const LEVEL_DEG = 4;
/** Normals that a plane of unknown heading may have. */
const WAYS = 24;

/**
 * Gain by a matt plane that only the plate shows.
 * @param value its luminance in the plate, falloff undone, with its own one-sigma relative uncertainty
 * @param lies level: it faces up; upright: it stands, its heading unknown
 * @throws RangeError when the panorama throws no light on it
 */
export function gainFromPlane(
  value: { luminance: number; relativeSigma: number },
  reflectance: { value: number; uncertaintyStops: number },
  lies: 'level' | 'upright',
  light: LightOnThings,
  place: LightPlace,
): SurfaceGain {
  const lean = lies === 'level' ? LEVEL_DEG : 0;
  const normals = Array.from({ length: WAYS }, (_, k) => directionFromAngles((360 * k) / WAYS, lies === 'level' ? 90 - 2 * lean : 0)); // prettier-ignore
  const stops = (normal: Vec3) => Math.log2(value.luminance / (reflectance.value * at(light.white, normal)));
  const all = normals.map(stops);
  if (!all.every(Number.isFinite)) throw new RangeError('the panorama throws no light on such a plane');
  const gainStops = lies === 'level' ? stops([0, 1, 0]) : (quantile(all, 0.95) + quantile(all, 0.05)) / 2;
  const reach = Math.max(...all.map((g) => Math.abs(g - gainStops)));
  return {
    gainStops,
    uncertaintyStops: Math.hypot(
      halfWidth95(ELSEWHERE[place].plane, value.relativeSigma / Math.LN2, sigmaOf95(reflectance.uncertaintyStops)),
      reach,
    ),
  };
}
