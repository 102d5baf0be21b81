import type { RgbImage } from '../image/image';
import { luminance } from '../colour/primaries';
import { lensAngle, lensRadius, unprojectPixel, type Lens } from '../optics/lens';
import type { Vec3 } from '../sphere/direction';
import { DEG } from '../sphere/direction';

/** Light that a source throws to an angle from itself: share of its energy per steradian; ascending angles, between them linear, beyond the ends constant. */
export type GlareCurve = readonly { readonly angleDeg: number; readonly perSr: number }[];

export function glarePerSr(curve: GlareCurve, angleDeg: number): number {
  if (angleDeg <= curve[0].angleDeg) return curve[0].perSr;
  for (let i = 1; i < curve.length; i++) {
    const [a, b] = [curve[i - 1], curve[i]];
    if (angleDeg <= b.angleDeg)
      return a.perSr + ((angleDeg - a.angleDeg) / Math.max(1e-9, b.angleDeg - a.angleDeg)) * (b.perSr - a.perSr);
  }
  return curve[curve.length - 1].perSr;
}

/** Solid angle of a pixel at a radius (focal lengths) of a lens: sin(theta) dtheta / (r dr), in units of a square focal length. */
function solidAngle(lens: Lens, theta: number): number {
  const h = 1e-4;
  const r = lensRadius(lens, theta);
  const slope =
    (lensRadius(lens, theta + h) - lensRadius(lens, Math.max(0, theta - h))) / (theta < h ? theta + h : 2 * h);
  return (theta < 1e-6 ? 1 / (slope * slope) : Math.sin(theta) / (r * slope)) / (lens.focalPx * lens.focalPx);
}

/** Solid angle (sr) of a pixel of a lens at picture coordinates; 0 outside its image circle. */
export function pixelSolidAngle(lens: Lens, x: number, y: number): number {
  const theta = lensAngle(lens, Math.hypot(x - lens.centreX, y - lens.centreY) / lens.focalPx);
  return theta <= lens.maxTheta ? solidAngle(lens, theta) : 0;
}

interface Block {
  x: number;
  y: number;
  d: Vec3;
  /** Energy per channel: radiance x sr. */
  flux: [number, number, number];
}

/** Energy of the picture in blocks of `side` pixels, each at the centre of its light. */
function blocksOf(image: RgbImage, lens: Lens, side: number): Block[] {
  const blocks: Block[] = [];
  for (let y0 = 0; y0 < image.height; y0 += side) {
    for (let x0 = 0; x0 < image.width; x0 += side) {
      const flux: [number, number, number] = [0, 0, 0];
      let [sx, sy, sum] = [0, 0, 0];
      const omega = pixelSolidAngle(lens, x0 + side / 2, y0 + side / 2);
      if (omega === 0) continue;
      for (let y = y0; y < Math.min(image.height, y0 + side); y++) {
        for (let x = x0; x < Math.min(image.width, x0 + side); x++) {
          const i = 3 * (y * image.width + x);
          for (let c = 0; c < 3; c++) flux[c] += image.data[i + c] * omega;
          const w = image.data[i + 1];
          sx += w * (x + 0.5);
          sy += w * (y + 0.5);
          sum += w;
        }
      }
      const [x, y] = sum > 0 ? [sx / sum, sy / sum] : [x0 + side / 2, y0 + side / 2];
      const d = unprojectPixel(lens, x, y);
      if (d) blocks.push({ x, y, d, flux });
    }
  }
  return blocks;
}

const angleDeg = (a: Vec3, b: Vec3) =>
  Math.acos(Math.max(-1, Math.min(1, a[0] * b[0] + a[1] * b[1] + a[2] * b[2]))) / DEG;

export interface GlareMeasurement {
  curve: { angleDeg: number; perSr: number }[];
  /** Share of the source's energy that the curve spreads over the sphere. */
  share: number;
  /** Where the source stands in the picture, pixels. */
  source: { x: number; y: number };
  /** Illuminance of the source, panorama unit x sr (green). */
  energy: number;
}

/** Bins of the angle from the source, degrees. */
const BIN_EDGES = [5, 8, 12, 18, 26, 36, 48, 62, 78, 96, 120, 180];
/** The source's own disc with its blur. */
const CORE_DEG = 2;

/**
 * The spread function of a rig from one view photographed with the sun seen and with the sun covered, both merged, same attitude, nothing else changed: what the sun adds
 * away from itself, over its energy, is the glare. Median of the differences a bin, so that what the cover itself hides (and whoever holds it) does not count.
 * @param coverDeg angle around the sun that the cover hides
 * @throws RangeError when sizes differ or no sun stands out
 */
export function measureGlare(open: RgbImage, covered: RgbImage, lens: Lens, coverDeg = 5): GlareMeasurement {
  if (open.width !== covered.width || open.height !== covered.height)
    throw new RangeError('both views must have the same size');
  const side = Math.max(4, Math.round(Math.max(open.width, open.height) / 128));
  const [bright, dark] = [blocksOf(open, lens, side), blocksOf(covered, lens, side)];
  const added = bright.map((b, k) => ({ ...b, gain: b.flux[1] - dark[k].flux[1] }));
  const peak = added.reduce((a, b) => (b.gain > a.gain ? b : a));
  const energy = added.filter((b) => angleDeg(b.d, peak.d) < CORE_DEG).reduce((s, b) => s + b.gain, 0);
  const total = dark.reduce((s, b) => s + b.flux[1], 0);
  if (!(energy > 0.02 * total))
    throw new RangeError('no sun stands out between the two views: one must see it, in the other it must be covered');
  const values: number[][] = BIN_EDGES.map(() => []);
  for (const b of added) {
    const angle = angleDeg(b.d, peak.d);
    if (angle < coverDeg) continue;
    const bin = BIN_EDGES.findIndex((e) => angle < e);
    const omega = pixelSolidAngle(lens, b.x, b.y) * side * side;
    if (bin >= 0 && omega > 0) values[bin].push(b.gain / omega / energy);
  }
  const curve = values.flatMap((v, i) => {
    if (v.length < 8) return [];
    v.sort((a, b) => a - b);
    const low = i === 0 ? coverDeg : BIN_EDGES[i - 1];
    return [{ angleDeg: (low + BIN_EDGES[i]) / 2, perSr: Math.max(0, v[v.length >> 1]) }];
  });
  if (curve.length < 2) throw new RangeError('too little of the picture lies away from the sun to tell its glare');
  return { curve, share: glareShare(curve), source: { x: peak.x, y: peak.y }, energy };
}

/** Integral of a glare curve over the sphere. */
export function glareShare(curve: GlareCurve): number {
  let sum = 0;
  for (let a = 0.5; a < 180; a++) sum += glarePerSr(curve, a) * 2 * Math.PI * Math.sin(a * DEG) * DEG;
  return sum;
}

/** Glare never takes more than this much of a pixel: what is left stays positive. */
const MOST_TAKEN = 0.95;

/**
 * Takes the glare out of a merged view in place and returns its energy to where it came from: L = (1 - s) O + g * O, solved for O by two rounds at block level
 * (g is smooth, blocks are small against it). Nothing is clipped: a pixel keeps at least a twentieth.
 * @returns mean share of the pixels' values that was taken, for the log
 */
export function removeGlare(image: RgbImage, lens: Lens, curve: GlareCurve): number {
  const side = Math.max(8, Math.round(Math.max(image.width, image.height) / 64));
  const share = glareShare(curve);
  const blocks = blocksOf(image, lens, side);
  const columns = Math.ceil(image.width / side) + 1;
  const rows = Math.ceil(image.height / side) + 1;
  const field = new Float32Array(columns * rows * 3);
  const table = Float64Array.from({ length: 1801 }, (_, i) => glarePerSr(curve, i / 10));
  let sources = blocks.map((b) => b.flux);
  const at = (d: Vec3, flux: [number, number, number][], out: [number, number, number]) => {
    out[0] = out[1] = out[2] = 0;
    for (let k = 0; k < blocks.length; k++) {
      const g = table[Math.round(10 * angleDeg(d, blocks[k].d))];
      for (let c = 0; c < 3; c++) out[c] += g * flux[k][c];
    }
  };
  const here: [number, number, number] = [0, 0, 0];
  // Second round: the energies themselves without the glare that lies on them.
  sources = blocks.map((b, k) => {
    at(b.d, sources, here);
    const omega = pixelSolidAngle(lens, b.x, b.y) * side * side;
    return sources[k].map((f, c) => Math.max(0.05 * f, f - here[c] * omega) / (1 - share)) as [number, number, number];
  });
  for (let j = 0; j < rows; j++) {
    for (let i = 0; i < columns; i++) {
      // Nodes beyond the image circle take the direction of its border.
      const [x, y] = [i * side, j * side];
      let d = unprojectPixel(lens, x, y);
      for (let k = 0.98; !d && k > 0; k -= 0.02)
        d = unprojectPixel(lens, lens.centreX + (x - lens.centreX) * k, lens.centreY + (y - lens.centreY) * k);
      if (!d) continue;
      at(d, sources, here);
      for (let c = 0; c < 3; c++) field[3 * (j * columns + i) + c] = here[c];
    }
  }
  let [taken, lit] = [0, 0];
  for (let y = 0; y < image.height; y++) {
    const fy = (y + 0.5) / side;
    const j = Math.floor(fy);
    const ty = fy - j;
    for (let x = 0; x < image.width; x++) {
      const fx = (x + 0.5) / side;
      const i = Math.floor(fx);
      const tx = fx - i;
      const o = 3 * (y * image.width + x);
      if (!(image.data[o + 1] > 0)) continue;
      const n = 3 * (j * columns + i);
      for (let c = 0; c < 3; c++) {
        const g =
          (field[n + c] * (1 - tx) + field[n + 3 + c] * tx) * (1 - ty) +
          (field[n + 3 * columns + c] * (1 - tx) + field[n + 3 * columns + 3 + c] * tx) * ty;
        const v = image.data[o + c];
        const out = Math.min(g, MOST_TAKEN * v);
        image.data[o + c] = (v - out) / (1 - share);
        if (c === 1) {
          taken += out / v;
          lit++;
        }
      }
    }
  }
  return lit > 0 ? taken / lit : 0;
}

/** Largest veil that the darkest places allow, as a share of the picture's mean luminance: more glare than their light there cannot be. */
export function glareCeiling(image: RgbImage): number {
  const values: number[] = [];
  let sum = 0;
  const step = Math.max(1, Math.floor(image.data.length / 3 / 60000));
  for (let p = 0; p < image.data.length / 3; p += step) {
    const v = luminance(image.data[3 * p], image.data[3 * p + 1], image.data[3 * p + 2], image.space);
    if (v > 0) {
      values.push(v);
      sum += v;
    }
  }
  if (values.length === 0) return 0;
  values.sort((a, b) => a - b);
  return values[Math.floor(values.length * 0.005)] / (sum / values.length);
}
