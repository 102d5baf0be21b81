import { smooth } from '../image/smooth';
import { anglesFromDirection, DEG, directionFromAngles, dot, type Vec3 } from '../sphere/direction';
import { rowSolidAngle } from '../sphere/latlong';
import { CLIPPED, UNSEEN } from '../sphere/mask';
import { composeRows, weighView } from './compose';
import type { WholeRegion } from './regions';
import type { BlendMap, View } from './view';

/** Something that stands in one view and not in another. */
export interface MovedThing {
  azimuthDeg: number;
  elevationDeg: number;
  solidAngleSr: number;
  /** The view it is taken from, whole. */
  view: number;
}

export interface Matched {
  blends: BlendMap[];
  moved: MovedThing[];
}

const WIDTH = 256;
const HEIGHT = WIDTH / 2;
/** Cells whose views differ by more than this factor, beyond what shifting by one cell explains, show different things; where views fit badly anywhere, by more. */
const DIFFERS = 1.25;
const SPREADS = 6;
/** Views that differ by more than this (natural logarithm) are not brought together: that is no vignetting left over. */
const MOST_RATIO = 0.3;
/** Cells this small a group are edges and noise; this large a share of the sphere is light that changed, not a thing. */
const LEAST_CELLS = 4;
const MOST_SHARE = 0.08;
/** A thing matters when a second view has more than this share of the first one's worth there. */
const SEAM_SHARE = 0.5;
/** Passes of (1 2 1) over the ratios: about 2.4° one sigma. */
const PASSES = 6;

/** Views of one cell each, as the matching sees them. */
interface Low {
  rgb: Float32Array;
  seen: Uint8Array;
  weight: Float32Array;
}

/**
 * How views give way to each other. Low band: smooth factors that bring each view to the broad mean of all that see a place, so that the hand-over
 * itself can be narrow. Things that moved between views (a group of cells where two views show different things, beyond what noise, edges and a shift
 * of one cell explain) are taken whole from one view: the one that most others agree with, else the one that sees it best.
 * Inside a `WholeRegion` the factors are exactly one and nothing is decided anew. Frames: maps and directions lie in the panorama's frame.
 * @param seamStops spread of the views' differences where they overlap, stops: what exceeds it by far is a thing, not a bad fit
 */
export function matchViews(views: readonly View[], regions: readonly WholeRegion[], seamStops = 0): Matched {
  const differs = Math.max(DIFFERS, 2 ** (SPREADS * seamStops));
  const lows = views.map((v) => lowOf(v));
  const blends = views.map((): BlendMap => ({
    width: WIDTH,
    height: HEIGHT,
    data: new Float32Array(4 * WIDTH * HEIGHT).fill(1),
  }));
  if (views.length < 2) return { blends, moved: [] };
  const different = differences(lows, differs);
  const moved: MovedThing[] = [];
  for (const cells of groups(different)) {
    if (
      cells.length < LEAST_CELLS ||
      cells.length > MOST_SHARE * WIDTH * HEIGHT ||
      cells.some((i) => regions.some((r) => openness(r, directionOf(i)) === 0))
    )
      continue;
    const owner = ownerOf(cells, lows, differs);
    if (owner === null) continue;
    for (const i of grown(cells)) {
      if (lows[owner].weight[i] === 0) continue;
      views.forEach((_, v) => {
        if (v !== owner) blends[v].data[4 * i + 3] = 0;
      });
    }
    moved.push({ ...middleOf(cells), view: owner });
  }
  // Where edges of such things fall into a cell its ratio is a mixture: kept out with some room.
  for (const i of grown(Array.from(different.keys()).filter((k) => different[k] === 1))) different[i] = 1;
  ratios(lows, different, regions, blends);
  return { blends, moved: moved.sort((a, b) => b.solidAngleSr - a.solidAngleSr) };
}

function lowOf(view: View): Low {
  const cells = WIDTH * HEIGHT;
  const rgb = new Float32Array(3 * cells);
  const mask = new Uint8Array(cells);
  composeRows([{ ...view, blend: undefined }], [], { width: WIDTH, y0: 0, y1: HEIGHT, rgb, mask });
  const seen = Uint8Array.from(mask, (m) => (m === CLIPPED || m === UNSEEN ? 0 : 1));
  return { rgb, seen, weight: weighView(view, WIDTH) };
}

const grey = (rgb: Float32Array, i: number): number => rgb[3 * i] + rgb[3 * i + 1] + rgb[3 * i + 2];

const around = (x: number): number => (x + WIDTH) % WIDTH;

/** Cells where the two views that count most show different things. */
function differences(lows: readonly Low[], differs: number): Uint8Array {
  const out = new Uint8Array(WIDTH * HEIGHT);
  const planes = lows.map((l) =>
    Float32Array.from({ length: WIDTH * HEIGHT }, (_, i) => (l.seen[i] ? grey(l.rgb, i) : NaN)),
  );
  for (let y = 1; y < HEIGHT - 1; y++) {
    for (let x = 0; x < WIDTH; x++) {
      const i = y * WIDTH + x;
      const able = lows
        .map((_, v) => v)
        .filter((v) => lows[v].seen[i] && lows[v].weight[i] > 0)
        .sort((a, b) => lows[b].weight[i] - lows[a].weight[i]);
      if (able.length < 2) continue;
      const [a, b] = able;
      if (outside(planes[a][i], planes[b], x, y, differs) && outside(planes[b][i], planes[a], x, y, differs))
        out[i] = 1;
    }
  }
  return out;
}

/** Whether a value lies outside of what another view shows in a cell and next to it. */
function outside(value: number, plane: Float32Array, x: number, y: number, differs: number): boolean {
  let lo = Infinity;
  let hi = 0;
  for (let v = -1; v <= 1; v++) {
    for (let u = -1; u <= 1; u++) {
      const other = plane[(y + v) * WIDTH + around(x + u)];
      // Next to what is clipped or not seen nothing can be told.
      if (!(other > 0)) return false;
      if (other < lo) lo = other;
      if (other > hi) hi = other;
    }
  }
  return value > 0 && (value > hi * differs || value * differs < lo);
}

/** Cells that touch, as lists. */
function groups(marked: Uint8Array): number[][] {
  const left = Uint8Array.from(marked);
  const out: number[][] = [];
  for (let start = 0; start < left.length; start++) {
    if (left[start] === 0) continue;
    const cells = [start];
    left[start] = 0;
    for (let k = 0; k < cells.length; k++) {
      for (const n of neighbours(cells[k])) {
        if (left[n] === 0) continue;
        left[n] = 0;
        cells.push(n);
      }
    }
    out.push(cells);
  }
  return out;
}

function neighbours(i: number): number[] {
  const y = Math.floor(i / WIDTH);
  const x = i % WIDTH;
  const out: number[] = [];
  for (let v = Math.max(0, y - 1); v <= Math.min(HEIGHT - 1, y + 1); v++) {
    for (let u = -1; u <= 1; u++) out.push(v * WIDTH + around(x + u));
  }
  return out;
}

/** A group and two cells around it: its outline is in neither view for certain. */
function grown(cells: readonly number[]): Set<number> {
  const once = new Set(cells.flatMap((i) => neighbours(i)));
  return new Set([...once].flatMap((i) => neighbours(i)));
}

/** The view to take a group from: it must see all of it; null when no seam comes near or no view sees it whole. */
function ownerOf(cells: readonly number[], lows: readonly Low[], differs: number): number | null {
  const seam = cells.some((i) => {
    const worth = lows.map((l) => l.weight[i]).sort((a, b) => b - a);
    return worth[1] > SEAM_SHARE * worth[0];
  });
  if (!seam) return null;
  const whole = lows.map((_, v) => v).filter((v) => cells.every((i) => lows[v].seen[i] && lows[v].weight[i] > 0));
  if (whole.length === 0) return null;
  const agreeing = (v: number) => lows.filter((other, u) => u !== v && alike(cells, other, lows[v], differs)).length;
  const worth = (v: number) => cells.reduce((s, i) => s + lows[v].weight[i], 0);
  const scored = whole.map((v) => ({ v, agree: agreeing(v), worth: worth(v) }));
  return scored.sort((a, b) => b.agree - a.agree || b.worth - a.worth)[0].v;
}

/** Whether two views show the same in most of what both see of a group, and see enough of it to tell. */
function alike(cells: readonly number[], a: Low, b: Low, differs: number): boolean {
  const common = cells.filter((i) => a.seen[i] && b.seen[i]);
  const same = common.filter((i) => {
    const ratio = grey(a.rgb, i) / grey(b.rgb, i);
    return ratio < differs && ratio * differs > 1;
  });
  return common.length > 0.3 * cells.length && same.length > 0.7 * common.length;
}

function middleOf(cells: readonly number[]): { azimuthDeg: number; elevationDeg: number; solidAngleSr: number } {
  let [x, y, z, sr] = [0, 0, 0, 0];
  for (const i of cells) {
    const row = Math.floor(i / WIDTH);
    const d = directionOf(i);
    const omega = rowSolidAngle(row, WIDTH, HEIGHT);
    x += omega * d[0];
    y += omega * d[1];
    z += omega * d[2];
    sr += omega;
  }
  const length = Math.hypot(x, y, z);
  return { ...anglesFromDirection([x / length, y / length, z / length]), solidAngleSr: sr };
}

const directionOf = (i: number): Vec3 =>
  directionFromAngles((360 * ((i % WIDTH) + 0.5)) / WIDTH, 90 - (180 * (Math.floor(i / WIDTH) + 0.5)) / HEIGHT);

/** Fills the factors: the broad weighted mean over each view, smoothed over what can be compared. */
function ratios(
  lows: readonly Low[],
  different: Uint8Array,
  regions: readonly WholeRegion[],
  blends: readonly BlendMap[],
): void {
  const cells = WIDTH * HEIGHT;
  const mean = new Float32Array(3 * cells);
  const most = new Float32Array(cells);
  for (let i = 0; i < cells; i++) {
    let total = 0;
    for (const l of lows) {
      const w = l.seen[i] ? l.weight[i] : 0;
      if (w > most[i]) most[i] = w;
      total += w;
      for (let c = 0; c < 3; c++) mean[3 * i + c] += w * l.rgb[3 * i + c];
    }
    if (total > 0) for (let c = 0; c < 3; c++) mean[3 * i + c] /= total;
  }
  lows.forEach((l, v) => {
    const known = new Float32Array(cells);
    const logs = [0, 1, 2].map(() => new Float32Array(cells));
    for (let i = 0; i < cells; i++) {
      if (different[i] || !l.seen[i] || !(l.weight[i] > 0.05 * most[i])) continue;
      const parts = [0, 1, 2].map((c) => Math.log(mean[3 * i + c] / l.rgb[3 * i + c]));
      if (!parts.every((p) => Math.abs(p) < MOST_RATIO)) continue;
      known[i] = 1;
      parts.forEach((p, c) => (logs[c][i] = p));
    }
    for (let pass = 0; pass < PASSES; pass++) [known, ...logs].forEach((plane) => smooth(plane, WIDTH, HEIGHT, true));
    for (let i = 0; i < cells; i++) {
      const outsideRegions = regions.reduce((share, r) => share * openness(r, directionOf(i)), 1);
      // Where little can be compared the factor fades to one.
      const worth = outsideRegions / (known[i] + 0.1);
      for (let c = 0; c < 3; c++) blends[v].data[4 * i + c] = Math.exp(logs[c][i] * worth);
    }
  });
}

/** 0 up to two radii from a region's middle (where all others have faded), 1 from four on. */
function openness({ direction, radiusDeg }: WholeRegion, d: Vec3): number {
  const radii = Math.acos(Math.max(-1, Math.min(1, dot(direction, d)))) / (radiusDeg * DEG);
  return Math.max(0, Math.min(1, (radii - 2.2) / 2));
}
