import { lensRadius } from '../optics/lens';
import { toMatrix } from '../orient/quaternion';
import { falloffSigma, logVignetting, placementSigma, throughPupil, type View } from './view';

/** Steps of the cosine from -1 to 1. */
const STEPS = 4096;
const ANGLES = Float64Array.from({ length: STEPS + 2 }, (_, i) =>
  Math.acos(Math.max(-1, Math.min(1, (2 * i) / STEPS - 1))),
);
/** Positions are computed somewhat apart and lie on straight lines between, which a row's arc leaves by this at most, pixels of a view. */
const STRAIGHT_PX = 0.01;
const MOST_APART = 8;
/** What no fit of a lens describes: relative, one sigma. */
const UNMODELLED = 0.01;
/** Of an unsure falloff, what its three terms do not take: lenses differ in shape where the terms happen to agree. */
const SHAPE_SHARE = 0.2;
/** A lens that puts things this close to where they are has its error in the noise of every other fit. */
const LEAST_ASTRAY_PX = 0.25;

/** A view made ready to be looked up: smooth functions of the angle from the axis as tables over its cosine, so that no pixel costs an arc function. */
export interface PreparedView {
  view: View;
  m: Float64Array;
  lens: View['lens'];
  forward: readonly [number, number, number];
  /** See `View.pupilShare`. */
  share: number;
  /** Samples a side under one pixel of the panorama. */
  grid: number;
  /** Pixels of the view under one of the panorama's. */
  sourcePixels: number;
  /** Cosine of the widest angle that reaches the picture. */
  cosLimit: number;
  /** Pixels over the sine of the angle from the axis. */
  radial: Float64Array;
  /** How much the view counts by the angle alone. */
  worth: Float64Array;
  /** What brings its values to the round's mean: gain and vignetting undone. */
  scale: Float64Array;
  /** Relative standard uncertainty that its falloff leaves; null when nothing is stated of it. */
  doubt: Float64Array | null;
  /** How far out or in its lens may put things, pixels (one sigma); null where that is nothing or not stated. */
  astray: Float64Array | null;
}

/** @param sharpness exponent of a view's worth against its angle from the axis: high hands over within a degree, low over tens of degrees */
export function prepareView(view: View, width: number, sharpness: number): PreparedView {
  const { lens } = view;
  const m = toMatrix(view.attitude);
  const step = (2 * Math.PI * lens.focalPx) / width;
  const latlong = lens.projection === 'latlong';
  const { lensCovariance } = view;
  const astray = (theta: number) => placementSigma(lensCovariance!, lens, Math.min(theta, lens.maxTheta));
  const strays =
    lensCovariance !== undefined &&
    !latlong &&
    [0.25, 0.5, 0.75, 1].some((s) => astray(s * lens.maxTheta) > LEAST_ASTRAY_PX);
  // Not `map` or `from`: tables are made for every view of every strip.
  const table = (f: (theta: number) => number) => {
    const out = new Float64Array(STEPS + 2);
    for (let i = 0; i < out.length; i++) out[i] = f(ANGLES[i]);
    return out;
  };
  return {
    view,
    m,
    lens,
    forward: [-m[2], -m[5], -m[8]],
    share: view.pupilShare ?? 0,
    grid: Math.max(1, Math.min(6, Math.round(step * 1.1))),
    sourcePixels: Math.max(1, step * step),
    cosLimit: latlong || lens.maxTheta >= Math.PI ? -2 : Math.cos(lens.maxTheta),
    radial: table((angle) => {
      const theta = Math.min(angle, Math.PI - 0.02, lens.maxTheta + 0.2);
      return theta < 1e-6 ? lens.focalPx : (lens.focalPx * lensRadius(lens, theta)) / Math.sin(theta);
    }),
    worth: table((theta) => (latlong ? 1 : Math.max(0, 1 - theta / lens.maxTheta) ** sharpness)),
    scale: table((theta) =>
      Math.exp(-view.logGain - (latlong ? 0 : logVignetting(view.vignetting, Math.min(theta, lens.maxTheta)))),
    ),
    doubt:
      view.falloffCovariance && !latlong
        ? table((theta) =>
            Math.hypot(
              UNMODELLED,
              SHAPE_SHARE * falloffSigma(view.falloffCovariance!, Math.PI / 2, [0, 0, 0]),
              falloffSigma(view.falloffCovariance!, Math.min(theta, lens.maxTheta)),
            ),
          )
        : null,
    astray: strays ? table(astray) : null,
  };
}

/** A table of `PreparedView` at a cosine. */
export function lookUp(table: Float64Array, cos: number): number {
  const u = (cos + 1) * (STEPS / 2);
  const t = u | 0;
  return table[t] + (u - t) * (table[t + 1] - table[t]);
}

/** Directions of the columns of a panorama row, divided into `sub` each; exact at nodes, straight in between. */
export interface Columns {
  width: number;
  sub: number;
  /** Columns (not sub-columns) from one node to the next; divides the width. */
  apart: number;
  sin: Float64Array;
  minusCos: Float64Array;
}

/** Columns between nodes for a width and the views that fall on it: a power of two that divides it. */
export function nodeSpacing(width: number, views: readonly View[]): number {
  // The arc of a quarter turn from the axis is the longest: height of a chord over it.
  const radius = Math.max(...views.map((v) => v.lens.focalPx)) * (Math.PI / 2);
  const most = Math.sqrt((8 * STRAIGHT_PX) / radius);
  let apart = 1;
  while (apart < MOST_APART && width % (2 * apart) === 0 && (2 * apart * 2 * Math.PI) / width <= most) apart *= 2;
  return apart;
}

export function makeColumns(width: number, sub: number, apart: number): Columns {
  const nodes = width / apart + 1;
  const azimuth = (k: number) => ((k * apart * sub + 0.5) / (width * sub)) * 2 * Math.PI;
  return {
    width,
    sub,
    apart,
    sin: Float64Array.from({ length: nodes }, (_, k) => Math.sin(azimuth(k))),
    minusCos: Float64Array.from({ length: nodes }, (_, k) => -Math.cos(azimuth(k))),
  };
}

/** Where the sub-columns of a row fall in a view's picture. */
export interface RowPlaces {
  x: Float64Array;
  y: Float64Array;
  cos: Float64Array;
}

export const newPlaces = (count: number): RowPlaces => ({
  x: new Float64Array(count),
  y: new Float64Array(count),
  cos: new Float64Array(count),
});

const node = { x: 0, y: 0, cos: 0 };
const look = new Float64Array(3);

/** Writes the picture coordinates of a panorama direction, and the cosine of its angle from the axis, into `node`. */
function placeNode({ m, lens, radial, forward, share }: PreparedView, dx: number, dy: number, dz: number): void {
  if (share !== 0 && dy < 0) {
    throughPupil(share, forward, dx, dy, dz, look);
    const n = 1 / Math.sqrt(look[0] * look[0] + look[1] * look[1] + look[2] * look[2]);
    dx = look[0] * n;
    dy = look[1] * n;
    dz = look[2] * n;
  }
  const cx = m[0] * dx + m[3] * dy + m[6] * dz;
  const cy = m[1] * dx + m[4] * dy + m[7] * dz;
  const cz = m[2] * dx + m[5] * dy + m[8] * dz;
  node.cos = cz < -1 ? 1 : cz > 1 ? -1 : -cz;
  if (lens.projection === 'latlong') {
    node.x = lens.centreX + lens.focalPx * Math.atan2(cx, -cz);
    node.y = lens.centreY - lens.focalPx * Math.atan2(cy, Math.sqrt(cx * cx + cz * cz));
    return;
  }
  const k = lookUp(radial, node.cos);
  node.x = lens.centreX + k * cx;
  node.y = lens.centreY - k * cy;
}

/**
 * Places a row at an elevation (radians) for the segments between nodes that `used` names; the rest keeps what it held.
 * @param at first sub-column of the row in `out`
 */
export function placeRow(
  p: PreparedView,
  columns: Columns,
  elevation: number,
  used: Uint8Array | null,
  out: RowPlaces,
  at: number,
): void {
  const { sub, apart, sin, minusCos } = columns;
  const count = apart * sub;
  const segments = sin.length - 1;
  const dy = Math.sin(elevation);
  const cosEl = Math.cos(elevation);
  // A latitude-longitude picture jumps at its border: no straight line may span that.
  const wrap = p.lens.projection === 'latlong' ? 0.5 * p.lens.width : Infinity;
  let known = -1;
  for (let s = 0; s < segments; s++) {
    if (used && used[s] === 0) continue;
    if (known !== s) placeNode(p, sin[s] * cosEl, dy, minusCos[s] * cosEl);
    let { x, y, cos } = node;
    placeNode(p, sin[s + 1] * cosEl, dy, minusCos[s + 1] * cosEl);
    known = s + 1;
    let span = node.x - x;
    if (span > wrap) span -= 2 * wrap;
    else if (span < -wrap) span += 2 * wrap;
    const stepX = span / count;
    const stepY = (node.y - y) / count;
    const stepCos = (node.cos - cos) / count;
    const to = at + (s + 1) * count;
    for (let i = at + s * count; i < to; i++) {
      out.x[i] = x;
      out.y[i] = y;
      out.cos[i] = cos;
      x += stepX;
      y += stepY;
      cos += stepCos;
    }
  }
}
