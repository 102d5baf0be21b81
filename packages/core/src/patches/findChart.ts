import type { RgbImage } from '../image/image';
import { median, quantile } from '../estimate/robust';
import { shrinkTo } from '../image/shrink';
import { findBlobs, type Blob } from './blobs';
import { CHART_6X4, CHART_COLOURS } from './chart';
import { fitHomography, mapPoint, type Homography, type Point } from './homography';
import type { Corners } from './sample';

export interface FoundChart {
  corners: Corners;
  /** Seen in a mirror, or the picture was flopped: its rows run the other way about. */
  mirrored: boolean;
  /** How far its rows are turned against the picture's, degrees clockwise, (-180, 180]. */
  turnedDeg: number;
  /** Patches that do not look like the chart's: covered, glaring, or in a light of their own. */
  odd: string[];
}

/** Widths at which a picture is searched: small charts at the first, large or noisy ones at the second. */
const WIDTHS = [1440, 640];
/** Fewest patches whose regions are found, and fewest that look like the chart's. */
const LEAST_FOUND = 9;
const LEAST_ALIKE = 16;
/** A region lies on a plane when it is this near to its place, in its own sides. */
const ON_PLANE = 0.24;
/** A grid of clearly shorter steps is taken though it is smaller by this share. */
const SMALLER = 0.5;
/** Flat things that one grid may have run on over. */
const PARTS = 3;
/** How far a patch's colour may lie from the chart's, in stops of the channels' ratios and of brightness, to look like it. */
const ALIKE_COLOUR = 1.1;
const ALIKE_LIGHT = 0.55;
/** The middle patch's departure that is still a chart's. */
const CHART_COLOUR = 1.05;
/** How much better the right way round has to be than every other. */
const CLEARLY = 0.72;

/** How pale or strong a camera's primaries may make the chart's colours. */
const STRENGTH = [0.3, 1.6] as const;

type Rgb = readonly [number, number, number];
/** A colour in stops of its three channels. */
type Stops = readonly [number, number, number];

/** Stops of three channels; dark channels count with a share of the patch's own mean. */
function stopsOf(rgb: Rgb): Stops {
  const mean = Math.max(1e-9, (Math.max(0, rgb[0]) + Math.max(0, rgb[1]) + Math.max(0, rgb[2])) / 3);
  return rgb.map((v) => Math.log2(Math.max(0, v) + 0.3 * mean)) as [number, number, number];
}
const REFERENCE = CHART_COLOURS.map(stopsOf);

/**
 * A 24-patch chart in a picture, in any perspective, turned or mirrored, partly in shadow, blurred or covered: even regions that lie on a grid, whose
 * colours are those of the chart up to the light's own colour and brightness.
 * @returns null when none is there, or more than one way round fits
 */
export function findChart(image: RgbImage): FoundChart | null {
  for (const width of WIDTHS) {
    const small = shrinkTo(image, Math.min(width, image.width));
    const found = search(small);
    if (found) {
      const scale = image.width / small.width;
      const corners = found.corners.map(([x, y]) => [x * scale, y * scale]) as unknown as Corners;
      return { ...found, corners };
    }
    if (image.width <= WIDTHS[1]) break;
  }
  return null;
}

function search(image: RgbImage): FoundChart | null {
  const blobs = findBlobs(image, 20, (image.width * image.height) / 24);
  const tree = neighbours(blobs);
  // A grid that ran on over something else may take a chart's regions with it: only a chart that was found uses them up.
  const used = new Set<number>();
  const tried = new Set<string>();
  // Large regions first: a chart's patches are among the larger even things.
  const order = blobs.map((_, k) => k).sort((a, b) => blobs[b].area - blobs[a].area);
  let best: { found: FoundChart; score: number } | null = null;
  for (const seed of order) {
    if (used.has(seed)) continue;
    const grid = growFrom(blobs, tree, seed);
    if (!grid) continue;
    for (const { nodes, plane } of flatParts(blobs, grid)) {
      const members = nodes.map((n) => n.blob);
      // The same regions may stand on another grid: straight, or along a diagonal.
      const key = [...nodes]
        .sort((p, q) => p.blob - q.blob)
        .map((n) => `${n.blob}:${n.a - nodes[0].a},${n.b - nodes[0].b}`)
        .join();
      if (tried.has(key)) continue;
      tried.add(key);
      const found = place(image, nodes, plane);
      if (!found) continue;
      for (const blob of members) used.add(blob);
      if (!best || found.score < best.score) best = found;
    }
  }
  return best?.found ?? null;
}

/** Regions of like size near each region. */
function neighbours(blobs: readonly Blob[]): number[][] {
  return blobs.map((a, i) =>
    blobs
      .map((b, j) => ({ j, d: Math.hypot(a.x - b.x, a.y - b.y), ratio: b.size / a.size }))
      .filter(({ j, d, ratio }) => j !== i && ratio > 0.45 && ratio < 2.2 && d < 2.6 * a.size && d > 0.7 * a.size)
      .sort((p, q) => p.d - q.d)
      .slice(0, 8)
      .map(({ j }) => j),
  );
}

interface Grid {
  nodes: { blob: number; a: number; b: number }[];
}

/** The largest grid of regions that two neighbours of one span. */
function growFrom(blobs: readonly Blob[], tree: readonly number[][], seed: number): Grid | null {
  let best: Grid | null = null;
  let shortest = Infinity;
  const from = blobs[seed];
  for (const i of tree[seed])
    for (const j of tree[seed]) {
      const u: Point = [blobs[i].x - from.x, blobs[i].y - from.y];
      const v: Point = [blobs[j].x - from.x, blobs[j].y - from.y];
      const cross = u[0] * v[1] - u[1] * v[0];
      // Each pair once, its axes neither along one line nor of unlike length.
      if (cross <= 0.55 * Math.hypot(...u) * Math.hypot(...v)) continue;
      const ratio = Math.hypot(...u) / Math.hypot(...v);
      if (ratio < 0.4 || ratio > 2.5) continue;
      const grid = grow(blobs, seed, i, j);
      // Steps along a diagonal make a grid as large, but a slanted one: the shorter steps are the chart's own.
      const steps = u[0] ** 2 + u[1] ** 2 + v[0] ** 2 + v[1] ** 2;
      const more = grid.nodes.length - (best?.nodes.length ?? 0);
      if (
        !best ||
        (steps < 0.8 * shortest && more >= -SMALLER * best.nodes.length) ||
        (more > 0 && steps < 1.25 * shortest)
      )
        [best, shortest] = [grid, steps];
    }
  return best && best.nodes.length >= LEAST_FOUND ? best : null;
}

function grow(blobs: readonly Blob[], seed: number, i: number, j: number): Grid {
  const at = new Map<string, number>();
  const taken = new Set<number>();
  const nodes: Grid['nodes'] = [];
  const key = (a: number, b: number) => `${a},${b}`;
  const put = (blob: number, a: number, b: number) => {
    at.set(key(a, b), blob);
    taken.add(blob);
    nodes.push({ blob, a, b });
  };
  put(seed, 0, 0);
  put(i, 1, 0);
  put(j, 0, 1);
  const u0: Point = [blobs[i].x - blobs[seed].x, blobs[i].y - blobs[seed].y];
  const v0: Point = [blobs[j].x - blobs[seed].x, blobs[j].y - blobs[seed].y];
  for (let n = 0; n < nodes.length && nodes.length < 80; n++) {
    const { a, b, blob } = nodes[n];
    for (const [da, db, way] of [
      [1, 0, u0],
      [-1, 0, [-u0[0], -u0[1]]],
      [0, 1, v0],
      [0, -1, [-v0[0], -v0[1]]],
    ] as const) {
      // prettier-ignore
      if (at.has(key(a + da, b + db))) continue;
      // The step that was made before it, the other way; else one beside; else the seed's.
      const before = at.get(key(a - da, b - db));
      const side = [[db, da], [-db, -da]].flatMap(([p, q]) => {
        const [s, t] = [at.get(key(a + p, b + q)), at.get(key(a + p + da, b + q + db))];
        return s !== undefined && t !== undefined ? [[blobs[t].x - blobs[s].x, blobs[t].y - blobs[s].y] as Point] : [];
      }); // prettier-ignore
      const straight: Point[] =
        before === undefined ? [] : [[blobs[blob].x - blobs[before].x, blobs[blob].y - blobs[before].y]];
      const ways = [...straight, ...side];
      const go: Point = ways.length === 0 ? way : [
        ways.reduce((s, w) => s + w[0], 0) / ways.length,
        ways.reduce((s, w) => s + w[1], 0) / ways.length,
      ]; // prettier-ignore
      const [x, y] = [blobs[blob].x + go[0], blobs[blob].y + go[1]];
      const reach = 0.3 * Math.min(Math.hypot(...u0), Math.hypot(...v0), 1.5 * Math.hypot(...go));
      let near = -1;
      let nearest = reach;
      for (let k = 0; k < blobs.length; k++) {
        const [dx, dy] = [blobs[k].x - x, blobs[k].y - y];
        if (!(Math.abs(dx) < nearest && Math.abs(dy) < nearest) || taken.has(k)) continue;
        const d = Math.hypot(dx, dy);
        const ratio = blobs[k].size / blobs[blob].size;
        if (d < nearest && ratio > 0.45 && ratio < 2.2) [near, nearest] = [k, d];
      }
      if (near >= 0) put(near, a + da, b + db);
    }
  }
  return { nodes };
}

type Node = Grid['nodes'][number];

/** How far a region lies from its place on a plane, in its own sides. */
function offPlane(blobs: readonly Blob[], plane: Homography, { a, b, blob }: Node): number {
  const [x, y] = mapPoint(plane, [a, b]);
  return Math.hypot(x - blobs[blob].x, y - blobs[blob].y) / blobs[blob].size;
}

const planeOf = (blobs: readonly Blob[], nodes: readonly Node[]): Homography =>
  fitHomography(
    nodes.map(({ a, b }): Point => [a, b]),
    nodes.map(({ blob }): Point => [blobs[blob].x, blobs[blob].y]),
  );

/**
 * Flat grids in a grid that may have run on over several things (Fischler and Bolles 1981): the plane of four corners a few steps apart that most
 * regions lie on, then the same among the rest.
 */
function flatParts(blobs: readonly Blob[], { nodes }: Grid): { nodes: Node[]; plane: Homography }[] {
  const parts: { nodes: Node[]; plane: Homography }[] = [];
  let rest = [...nodes];
  while (parts.length < PARTS && rest.length >= LEAST_FOUND) {
    const at = new Map(rest.map((n) => [`${n.a},${n.b}`, n]));
    let best: Node[] = [];
    for (const n of rest)
      for (const i of [2, 3, 4])
        for (const j of [2, 3]) {
          const four = [n, at.get(`${n.a + i},${n.b}`), at.get(`${n.a},${n.b + j}`), at.get(`${n.a + i},${n.b + j}`)];
          if (four.some((f) => f === undefined)) continue;
          const plane = planeOf(blobs, four as Node[]);
          const on = rest.filter((m) => offPlane(blobs, plane, m) < ON_PLANE);
          if (on.length > best.length) best = on;
        }
    if (best.length < LEAST_FOUND) break;
    let plane = planeOf(blobs, best);
    for (let pass = 0; pass < 3; pass++) {
      const on = rest.filter((m) => offPlane(blobs, plane, m) < ON_PLANE / 1.5);
      if (on.length < LEAST_FOUND) break;
      best = on;
      plane = planeOf(blobs, best);
    }
    parts.push({ nodes: best, plane });
    rest = rest.filter((n) => !best.includes(n));
  }
  return parts;
}

/** Where on a flat grid the chart lies, and which way round: every placing is held against the chart's colours. */
function place(image: RgbImage, kept: readonly Node[], plane: Homography): { found: FoundChart; score: number } | null {
  // Every cell is asked in many placings.
  const colours = new Map<string, Stops | null>();
  const stopsAt = (a: number, b: number) => {
    const key = `${a},${b}`;
    let stops = colours.get(key);
    if (stops === undefined) {
      const rgb = colourOf(image, plane, a, b);
      colours.set(key, (stops = rgb && stopsOf(rgb)));
    }
    return stops;
  };
  const [as, bs] = [kept.map((n) => n.a), kept.map((n) => n.b)];
  const [a0, a1, b0, b1] = [Math.min(...as), Math.max(...as), Math.min(...bs), Math.max(...bs)];
  const { columns, rows } = CHART_6X4;
  const trials: { score: number; odd: number[]; at: (u: number, v: number) => Point; mirrored: boolean }[] = [];
  // The grid's axes turn clockwise (its cross product is positive); a chart along a, or along b, from either end.
  for (const along of [true, false]) {
    const [w, h] = along ? [columns, rows] : [rows, columns];
    for (let a = a1 - w + 1 - 2; a <= a0 + 2; a++)
      for (let b = b1 - h + 1 - 2; b <= b0 + 2; b++) {
        const within = kept.filter((n) => n.a >= a && n.a < a + w && n.b >= b && n.b < b + h).length;
        if (within < LEAST_FOUND) continue;
        for (const flipA of [false, true])
          for (const flipB of [false, true]) {
            const at = (u: number, v: number): Point => {
              const [p, q] = along ? [u, v] : [v, u];
              return [flipA ? a + w - 1 - p : a + p, flipB ? b + h - 1 - q : b + q];
            };
            const judged = judge((u, v) => stopsAt(...(at(u, v) as [number, number])));
            if (judged) trials.push({ ...judged, at, mirrored: (along ? 1 : -1) * (flipA ? -1 : 1) * (flipB ? -1 : 1) < 0 });
          }
      } // prettier-ignore
  }
  if (trials.length === 0) return null;
  trials.sort((p, q) => p.score - q.score);
  const best = trials[0];
  if (best.score > CHART_COLOUR || columns * rows - best.odd.length < LEAST_ALIKE) return null;
  // Another way round that is nearly as good: it cannot be told.
  if (trials.length > 1 && best.score > CLEARLY * trials[1].score) return null;
  const corner = (u: number, v: number): Point => mapPoint(plane, best.at(u, v));
  const corners: Corners = [
    corner(-0.5, -0.5),
    corner(columns - 0.5, -0.5),
    corner(columns - 0.5, rows - 0.5),
    corner(-0.5, rows - 0.5),
  ];
  if (corners.some(([x, y]) => x < 0 || y < 0 || x > image.width || y > image.height)) return null;
  const [start, end] = [corner(0, (rows - 1) / 2), corner(columns - 1, (rows - 1) / 2)];
  return {
    score: best.score,
    found: {
      corners,
      mirrored: best.mirrored,
      turnedDeg: (Math.atan2(end[1] - start[1], end[0] - start[0]) * 180) / Math.PI,
      odd: best.odd.map((k) => String(k + 1)),
    },
  };
}

/** Colour in the middle of a cell: the middle value of a few places. Null outside of the picture. */
function colourOf(image: RgbImage, plane: Homography, a: number, b: number): Rgb | null {
  const values: number[][] = [[], [], []];
  for (const du of [-0.16, 0, 0.16])
    for (const dv of [-0.16, 0, 0.16]) {
      const [x, y] = mapPoint(plane, [a + du, b + dv]);
      if (!(x >= 0 && y >= 0 && x < image.width && y < image.height)) return null;
      const o = 3 * (Math.floor(y) * image.width + Math.floor(x));
      for (let c = 0; c < 3; c++) values[c].push(image.data[o + c]);
    }
  return values.map((v) => median(v)) as unknown as Rgb;
}

/**
 * How far colours (stops) lie from the chart's: the middle departure of their ratios once the light's own colour is taken off, and of their brightness, a
 * shadow's edge across the chart allowed.
 */
function judge(stopsAt: (u: number, v: number) => Stops | null): { score: number; odd: number[] } | null {
  const { columns, rows } = CHART_6X4;
  const off: ([number, number, number] | null)[] = [];
  for (let v = 0; v < rows; v++)
    for (let u = 0; u < columns; u++) {
      const stops = stopsAt(u, v);
      const reference = REFERENCE[v * columns + u];
      off.push(stops && [stops[0] - reference[0], stops[1] - reference[1], stops[2] - reference[2]]);
    }
  const seen = off.flatMap((o, k) => (o ? [{ k, o }] : []));
  if (seen.length < LEAST_ALIKE) return null;
  const colour = ratiosOff(
    seen.map(({ k, o }) => {
      const r = REFERENCE[k];
      return { seen: [o[0] + r[0] - o[1] - r[1], o[2] + r[2] - o[1] - r[1]], chart: [r[0] - r[1], r[2] - r[1]] };
    }),
  );
  const light = seen.map(({ o }) => (o[0] + o[1] + o[2]) / 3);
  // Lit and shaded patches gather about two levels at most.
  const levels = twoLevels(light);
  const uneven = light.map((l) => Math.min(...levels.map((m) => Math.abs(l - m))));
  const odd = seen.filter((_, i) => colour[i] > ALIKE_COLOUR || uneven[i] > ALIKE_LIGHT).map(({ k }) => k);
  const missing = off.flatMap((o, k) => (o ? [] : [k]));
  const score = quantile(colour, 0.6) * 0.7 + quantile(uneven, 0.6) * 0.5 + 0.02 * (odd.length + missing.length);
  return { score, odd: [...odd, ...missing].sort((p, q) => p - q) };
}

/**
 * Departures of channels' ratios from the chart's, in the chart's own stops: the light's colour is an offset, and the camera's primaries make all
 * colours paler or stronger by one factor.
 */
function ratiosOff(pairs: readonly { seen: number[]; chart: number[] }[]): number[] {
  let [strength, offset] = [1, [0, 0]];
  let weights = pairs.map(() => 1);
  let colour: number[] = [];
  for (let pass = 0; pass < 6; pass++) {
    const total = weights.reduce((s, w) => s + w, 0);
    const mean = (of: 'seen' | 'chart', c: number) => pairs.reduce((s, p, i) => s + weights[i] * p[of][c], 0) / total;
    const [seen, chart] = [[mean('seen', 0), mean('seen', 1)], [mean('chart', 0), mean('chart', 1)]]; // prettier-ignore
    let [across, own] = [0, 1e-9];
    pairs.forEach((p, i) => {
      for (let c = 0; c < 2; c++) {
        across += weights[i] * (p.seen[c] - seen[c]) * (p.chart[c] - chart[c]);
        own += weights[i] * (p.chart[c] - chart[c]) ** 2;
      }
    });
    strength = Math.min(STRENGTH[1], Math.max(STRENGTH[0], across / own));
    offset = [0, 1].map((c) => seen[c] - strength * chart[c]);
    const away = (p: (typeof pairs)[number], c: number) => p.seen[c] - strength * p.chart[c] - offset[c];
    colour = pairs.map((p) => Math.hypot(away(p, 0), away(p, 1)) / strength);
    weights = colour.map((d) => 1 / Math.max(0.1, d));
  }
  return colour;
}

/** One level, or two when they leave clearly less. */
function twoLevels(values: readonly number[]): number[] {
  const one = [median(values)];
  const left = (levels: readonly number[]) =>
    values.reduce((s, v) => s + Math.min(...levels.map((m) => Math.abs(v - m))), 0);
  let best = one;
  for (const from of [0.15, 0.3, 0.5, 0.7, 0.85]) {
    const cut = quantile(values, from);
    const [low, high] = [values.filter((v) => v < cut), values.filter((v) => v >= cut)];
    if (low.length < 3 || high.length < 3) continue;
    const trial = [median(low), median(high)];
    if (trial[1] - trial[0] > 0.5 && left(trial) < 0.7 * left(best)) best = trial;
  }
  return best;
}
