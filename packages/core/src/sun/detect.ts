import { NORMAL_95 } from '../estimate/confidence';
import { median } from '../estimate/robust';
import type { RgbImage } from '../image/image';
import { luminance } from '../colour/primaries';
import { anglesAtPixel, assertLatlong, pixelsWithin, rowSolidAngles } from '../sphere/latlong';
import { anglesFromDirection, cross, DEG, directionFromAngles, dot, normalize, type Vec3 } from '../sphere/direction';
import { SUN_SOLID_ANGLE } from './solidAngle';
import { GLOWING, hangsAsSun, surroundingsOf, type ExpectedHeight } from './surroundings';

export interface DetectedSun {
  direction: Vec3;
  azimuthDeg: number;
  elevationDeg: number;
  /** Diameter of a uniform disc with the same flux and peak, degrees. */
  diameterDeg: number;
  clipped: boolean;
  /** Illuminance on a plane facing it, background removed: one number a channel, panorama unit x sr. */
  illuminanceNormal: [number, number, number];
  /** Mean luminance of its disc against the mean of the rest of the sphere. */
  contrast: number;
  /** Told a sun only because the almanac has it at this height: its surroundings leave it open. */
  witnessed: boolean;
  /** Half width of the 95 % interval of its direction in the panorama's own frame, degrees of arc. */
  uncertaintyDeg: number;
}

export interface DetectOptions {
  /** True or false when the builder of the panorama knows whether its brightest light is clipped; left out, it is judged from the pixels. */
  clipped?: boolean;
  /** Where place and time have the sun, when they are known. */
  expected?: ExpectedHeight | null;
}

const CANDIDATES = 6;
/** Below this ratio of disc to mean luminance an unclipped blob is a lamp, a glint or a bright cloud. */
const LEAST_CONTRAST = 4000;
/** A disc cut off by the camera holds less; what is left must still stand out this much when the builder vouches for it or it hangs in a sky ... */
const LEAST_CLIPPED_CONTRAST = 40;
/** ... and this much where nothing but the pixels speaks for it: white glints in a dark room reach several hundred. */
const LEAST_CLIPPED_INDOORS = 1200;
/** Above this ratio of the median of the upper to that of the lower half of the sphere there is a sky. */
const SKY_RATIO = 1.8;
/** One-sigma error of the direction, pixels: a blurred disc and a clipped one. Calibrated in docs/accuracy.md. */
const SIGMA_PX = { blurred: 0.06, clipped: 0.11 };
/** ... and of a sharp whole disc, which the pixel grid alone spreads: more the coarser the grid is against the disc. */
const sharpSigmaPx = (pixelDeg: number) => Math.max(0.012, 0.026 * (pixelDeg / 0.3516) ** 1.75);
/** Relative misfit of the pixels to a uniform disc of the sun's size below which it is seen sharp and whole. */
const DISC_MISFIT = 0.07;
/** Radius of the mean sun, radians. */
const SUN_RADIUS = 0.2665 * DEG;
/** Flat-topped and below this contrast: cut off. A real solar disc is above it in any air clear enough to cast shadows. */
const CLIPPED_BELOW = 20000;

/**
 * Finds the sun in a latitude-longitude panorama of scene-linear values, or null when there is none.
 *
 * The brightest compact blobs are tried in turn: a sun is round, half a degree wide (blur of the pixel grid allowed for),
 * not below the horizon, of a sun's colour, far brighter than the mean of the sphere, and it hangs in a sky or a window (`hangsAsSun`).
 * What is negative in the file counts as dark. Its direction is the centroid of flux above the local background. Frame: the panorama's own. @throws RangeError unless width = 2 x height
 */
export function detectSun(panorama: RgbImage, options: DetectOptions = {}): DetectedSun | null {
  assertLatlong(panorama);
  const { width, height, data } = panorama;
  const y = new Float32Array(width * height);
  const omega = rowSolidAngles(width, height);
  let total = 0;
  for (let i = 0; i < y.length; i++) {
    y[i] = Math.max(0, luminance(data[3 * i], data[3 * i + 1], data[3 * i + 2], panorama.space));
    total += y[i] * omega[(i / width) | 0];
  }
  const light: Light = {
    y,
    omega,
    total,
    underSky: hemisphereMedian(y, width, 1) > SKY_RATIO * hemisphereMedian(y, width, -1),
  };
  const used = new Uint8Array(y.length);
  for (let attempt = 0; attempt < CANDIDATES; attempt++) {
    let peakAt = -1;
    let peak = 0;
    for (let i = 0; i < y.length; i++) {
      if (!used[i] && y[i] > peak) {
        peak = y[i];
        peakAt = i;
      }
    }
    if (peakAt < 0) return null;
    const region = grow(y, used, width, height, peakAt, peak * 0.5, Math.max(64, Math.round(maxArea(width) * 4)));
    if (!region) continue;
    const found = measure(panorama, light, region, peak, options);
    if (found) return found;
  }
  return null;
}

/** Luminance and solid angle of the sphere. */
interface Light {
  y: Float32Array;
  omega: Float64Array;
  total: number;
  /** The upper half of the sphere is a sky: lamps in a dark room do not lift its median. */
  underSky: boolean;
}

/** Median luminance of the half above (1) or below (-1) the horizon, from about 4000 evenly spread directions. */
function hemisphereMedian(y: Float32Array, width: number, half: 1 | -1): number {
  const height = width / 2;
  const golden = (Math.sqrt(5) - 1) / 2;
  const values = Array.from({ length: 4000 }, (_, k) => {
    const elevation = half * Math.asin((k + 0.5) / 4000);
    const row = Math.min(height - 1, Math.floor((0.5 - elevation / Math.PI) * height));
    return y[row * width + Math.floor(((k * golden) % 1) * width)];
  });
  return median(values);
}

/** Pixels at the equator that a disc of 1.6 degrees covers. */
function maxArea(width: number): number {
  const px = 360 / width;
  return (Math.PI * 0.8 * 0.8) / (px * px) + 9;
}

/**
 * 8-connected pixels above a threshold around a start, wrapping in azimuth; marks them used, row by row, however many they are.
 * Null when larger than limit (scaled towards the poles).
 */
function grow(
  y: Float32Array,
  used: Uint8Array,
  width: number,
  height: number,
  start: number,
  threshold: number,
  limit: number,
): number[] | null {
  const startRow = (start / width) | 0;
  const most = limit / Math.max(0.02, Math.cos((0.5 - (startRow + 0.5) / height) * Math.PI));
  const region: number[] = [];
  let size = 0;
  const seeds = [start];
  for (let seed = seeds.pop(); seed !== undefined; seed = seeds.pop()) {
    if (used[seed]) continue;
    const row = (seed / width) | 0;
    const at = row * width;
    const open = (column: number) => {
      const i = at + ((column + width) % width);
      return !used[i] && y[i] >= threshold;
    };
    let left = seed - at;
    while (seed - at - left < width - 1 && open(left - 1)) left--;
    let right = seed - at;
    while (right - left < width - 1 && open(right + 1)) right++;
    for (let column = left; column <= right; column++) {
      const i = at + ((column + width) % width);
      used[i] = 1;
      if (++size <= most) region.push(i);
    }
    for (const near of [row - 1, row + 1]) {
      if (near < 0 || near >= height) continue;
      // One seed for each run of the next row that touches this one.
      let inside = false;
      for (let column = left - 1; column <= right + 1; column++) {
        const i = near * width + ((column + width) % width);
        const wanted = !used[i] && y[i] >= threshold;
        if (wanted && !inside) seeds.push(i);
        inside = wanted;
      }
    }
  }
  return size <= most ? region : null;
}

function measure(
  panorama: RgbImage,
  { y, omega, total, underSky }: Light,
  region: number[],
  peak: number,
  options: DetectOptions,
): DetectedSun | null {
  const { width, height, data } = panorama;
  const pixelDeg = 360 / width;
  const directionOf = (i: number): Vec3 => {
    const row = (i / width) | 0;
    const a = anglesAtPixel(i - row * width, row, width, height);
    return directionFromAngles(a.azimuthDeg, a.elevationDeg);
  };
  const rough = centroid(region, (i) => y[i] * omega[(i / width) | 0], directionOf);
  const reach = region.reduce((far, i) => Math.max(far, Math.acos(Math.min(1, dot(directionOf(i), rough)))), 0);
  const inner = reach + 1.6 * pixelDeg * DEG;
  const outer = inner + Math.max(1.5, 3 * pixelDeg) * DEG;
  const near = pixelsWithin(rough, outer, width, height);
  const core: number[] = [];
  const ring: number[] = [];
  for (const i of near) {
    const angle = Math.acos(Math.min(1, dot(directionOf(i), rough)));
    if (angle <= inner) core.push(i);
    else if (angle <= outer) ring.push(i);
  }
  if (ring.length === 0) return null;
  const background = median(ring.map((i) => y[i]));
  const backgroundRgb = [0, 1, 2].map((c) => median(ring.map((i) => data[3 * i + c])));
  if (!(peak > background)) return null;
  const weight = (i: number) => Math.max(0, y[i] - background) * omega[(i / width) | 0];
  const direction = centroid(core, weight, directionOf);
  const angles = anglesFromDirection(direction);
  let flux = 0;
  const rgb: [number, number, number] = [0, 0, 0];
  for (const i of core) {
    const row = (i / width) | 0;
    flux += weight(i);
    for (let c = 0; c < 3; c++) rgb[c] += (data[3 * i + c] - backgroundRgb[c]) * omega[row];
  }
  // Holes of a damaged file are darker than what lies behind.
  for (let c = 0; c < 3; c++) rgb[c] = Math.max(0, rgb[c]);
  const solid = flux / (peak - background);
  const diameterDeg = (2 * Math.acos(1 - solid / (2 * Math.PI))) / DEG;
  const coreOmega = region.reduce((s, i) => s + omega[(i / width) | 0], 0);
  const mean = (total - flux) / (4 * Math.PI);
  const contrast = flux / SUN_SOLID_ANGLE / Math.max(mean, 1e-12);

  const flat = region.filter((i) => y[i] >= 0.93 * peak).length / region.length;
  const clipped =
    options.clipped ??
    ((region.length >= 4 && flat > 0.6 && contrast < CLIPPED_BELOW) || whiteTop(data, y, region, peak));
  const pixelSr = (pixelDeg * DEG) ** 2;
  const largest = (clipped ? 3.2 : 1.5) * SUN_SOLID_ANGLE + 3.2 * pixelSr;
  const smallest = 0.45 * SUN_SOLID_ANGLE;
  const roundness = axisRatio(core, weight, direction, directionOf, pixelDeg);
  const fits =
    angles.elevationDeg > -1 &&
    solid >= smallest &&
    solid <= largest &&
    coreOmega <= largest * 1.6 &&
    roundness <= 1.45 &&
    peak > 6 * background &&
    contrast >= leastContrast(clipped, options, underSky);
  if (!fits) return null;
  const whole = colouredAsSun(rgb);
  const place = { direction, peak: peak - background, mean };
  const around = surroundingsOf({ y, rgb: data, width, height }, place);
  const told = hangsAsSun(
    around,
    { elevationDeg: angles.elevationDeg, contrast, cutOff: options.clipped === true, underSky },
    options.expected ?? null,
  );
  if (!told) return null;
  // A light of one channel is a faulty pixel; in a sun's own glow it is what a damaged file has left of the sun.
  if (!whole && around.sky < GLOWING) return null;
  return {
    direction,
    ...angles,
    diameterDeg,
    clipped: clipped || !whole,
    illuminanceNormal: whole ? rgb : boundedBy(rgb),
    contrast,
    witnessed: told === 'height',
    uncertaintyDeg:
      NORMAL_95 *
      pixelDeg *
      (clipped
        ? SIGMA_PX.clipped
        : discMisfit(core, y, background, direction, width, height) < DISC_MISFIT
          ? sharpSigmaPx(pixelDeg)
          : Math.max(SIGMA_PX.blurred, sharpSigmaPx(pixelDeg))),
  };
}

/** Air takes blue from the sun before green, green before red: a light of one channel alone is a faulty pixel or a signal lamp. */
const colouredAsSun = ([r, g, b]: readonly [number, number, number]) => r >= 0.7 * g && g >= 0.1 * r && b <= 1.3 * g;

/** Of a damaged sun no channel is believed beyond what the others leave possible. */
function boundedBy([r, g, b]: readonly [number, number, number]): [number, number, number] {
  const green = Math.min(g, r / 0.7);
  return [Math.min(r, green / 0.1), green, Math.min(b, 1.3 * green)];
}

function leastContrast(clipped: boolean, options: DetectOptions, underSky: boolean): number {
  if (!clipped) return LEAST_CONTRAST;
  return options.clipped || underSky ? LEAST_CLIPPED_CONTRAST : LEAST_CLIPPED_INDOORS;
}

const COVER_GRID = 8;

/** Root mean square of what a uniform disc of the sun's size at a direction leaves unexplained of the pixels, as a share of theirs. */
function discMisfit(
  core: readonly number[],
  y: Float32Array,
  background: number,
  direction: Vec3,
  width: number,
  height: number,
): number {
  const limit = Math.cos(SUN_RADIUS);
  let own = 0;
  let product = 0;
  let model = 0;
  for (const i of core) {
    const row = (i / width) | 0;
    let inside = 0;
    for (let v = 0; v < COVER_GRID; v++) {
      for (let u = 0; u < COVER_GRID; u++) {
        const a = anglesAtPixel(
          i - row * width + (u + 0.5) / COVER_GRID - 0.5,
          row + (v + 0.5) / COVER_GRID - 0.5,
          width,
          height,
        );
        if (dot(directionFromAngles(a.azimuthDeg, a.elevationDeg), direction) >= limit) inside++;
      }
    }
    const value = y[i] - background;
    own += value * value;
    product += value * inside;
    model += inside * inside;
  }
  return own > 0 && model > 0 ? Math.sqrt(Math.max(0, 1 - (product * product) / (own * model))) : 1;
}

/** Two pixels or more at the peak with all channels alike: a file cut off at one level. The sun itself is never exactly white. */
function whiteTop(data: Float32Array, y: Float32Array, region: readonly number[], peak: number): boolean {
  const top = region.filter((i) => y[i] >= 0.999 * peak);
  const alike = (i: number) =>
    Math.abs(data[3 * i] - data[3 * i + 1]) <= 1e-3 * data[3 * i + 1] &&
    Math.abs(data[3 * i + 2] - data[3 * i + 1]) <= 1e-3 * data[3 * i + 1];
  return top.length >= 2 && top.every(alike);
}

function centroid(pixels: number[], weight: (i: number) => number, directionOf: (i: number) => Vec3): Vec3 {
  let x = 0;
  let y = 0;
  let z = 0;
  for (const i of pixels) {
    const w = weight(i);
    const d = directionOf(i);
    x += w * d[0];
    y += w * d[1];
    z += w * d[2];
  }
  return normalize([x, y, z]);
}

/** Ratio of the long to the short axis of the flux distribution, the pixel grid's own spread included on both. */
function axisRatio(
  core: number[],
  weight: (i: number) => number,
  direction: Vec3,
  directionOf: (i: number) => Vec3,
  pixelDeg: number,
): number {
  const side = Math.abs(direction[1]) > 0.99 ? ([1, 0, 0] as Vec3) : ([0, 1, 0] as Vec3);
  const u = normalize(cross(side, direction));
  const v = cross(direction, u);
  let sum = 0;
  let uu = 0;
  let vv = 0;
  let uv = 0;
  for (const i of core) {
    const w = weight(i);
    const d = directionOf(i);
    const a = dot(d, u);
    const b = dot(d, v);
    sum += w;
    uu += w * a * a;
    vv += w * b * b;
    uv += w * a * b;
  }
  const grid = (pixelDeg * DEG) ** 2 / 4;
  uu = uu / sum + grid;
  vv = vv / sum + grid;
  uv /= sum;
  const half = (uu + vv) / 2;
  const spread = Math.hypot((uu - vv) / 2, uv);
  return Math.sqrt((half + spread) / Math.max(half - spread, 1e-18));
}
