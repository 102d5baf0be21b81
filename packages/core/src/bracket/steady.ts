import { median, spreadOfQuartiles } from '../estimate/robust';
import { brighterBy, LEAST_CELLS, heldCells, withinCells, type FrameLook } from './look';

/** A frame of a view as its steadiness is judged: its exposure and how it looks. */
export interface SteadyFrame {
  exposure: number;
  look: FrameLook | null;
}

/** The level of a cell is told in bands of this many stops: a curve that is taken for another errs by level. */
const BAND_STOPS = 0.75;
/** Cells of a view in a band, and views of a band, from which it says something. */
const BAND_CELLS = 4;
const LEAST_PEERS = 4;

/** Two frames next to each other in a view: for every cell that both hold its band and how far the frames' ratio departs from their exposures', stops. */
interface Pair {
  rungs: string;
  cells: { band: number; stops: number }[];
}

/**
 * By how many stops each frame is brighter than the other frames of its view make it, judged by what the same rungs do in the other views: what the
 * camera's curve and its shutter do, they do in every view, so far less shows than against the exposures that files state. Null for frames that have
 * not three other views with the same rungs. Views longest exposure first.
 */
export function frameDepartures(views: readonly (readonly SteadyFrame[])[]): (number | null)[][] {
  const pairs = views.map((v) => v.slice(1).map((f, i) => pairOf(v[i], f)));
  const expected = new Map<string, Map<number, number>>();
  for (const rungs of new Set(pairs.flat().map((p) => p?.rungs)))
    if (rungs !== undefined) expected.set(rungs, bandsOf(pairs.flat().filter((p) => p?.rungs === rungs) as Pair[])); // prettier-ignore
  return views.map((view, v) => {
    const steps = pairs[v].map((p) => {
      const bands = p && expected.get(p.rungs)!;
      const off = p ? p.cells.flatMap((c) => (bands!.has(c.band) ? [c.stops - bands!.get(c.band)!] : [])) : [];
      return off.length >= LEAST_CELLS ? beyondChance(off) : null;
    });
    return chained(view.length, steps);
  });
}

/** What the cells say together, 0 where it is no more than they differ among themselves. */
function beyondChance(off: readonly number[]): number {
  const stops = brighterBy(off);
  return Math.abs(stops) > withinCells(spreadOfQuartiles(off), off.length) ? stops : 0;
}

function pairOf(longer: SteadyFrame, shorter: SteadyFrame): Pair | null {
  if (!longer.look || !shorter.look || !(longer.exposure > 0) || !(shorter.exposure > 0)) return null;
  const stated = Math.log2(shorter.exposure / longer.exposure);
  const rungs = [longer, shorter].map((f) => Math.round(8 * Math.log2(f.exposure))).join('/');
  const cells = heldCells(shorter.look, longer.look).map(({ a, b }) => ({
    band: Math.round(Math.log2(b) / BAND_STOPS),
    stops: Math.log2(a / b) - stated,
  }));
  return { rungs, cells };
}

/** What most views say of two rungs, band by band. */
function bandsOf(pairs: readonly Pair[]): Map<number, number> {
  const out = new Map<number, number>();
  for (const band of new Set(pairs.flatMap((p) => p.cells.map((c) => c.band)))) {
    const said = pairs.flatMap(({ cells }) => {
      const own = cells.filter((c) => c.band === band).map((c) => c.stops);
      return own.length >= BAND_CELLS ? [brighterBy(own)] : [];
    });
    if (said.length >= LEAST_PEERS) out.set(band, median(said));
  }
  return out;
}

/** Steps from frame to frame as departures of frames: each unbroken run of them against its own median. */
function chained(frames: number, steps: readonly (number | null)[]): (number | null)[] {
  const out = Array<number | null>(frames).fill(null);
  for (let from = 0; from < frames;) {
    let to = from;
    const run = [0];
    for (; to < steps.length && steps[to] !== null; to++) run.push(run[run.length - 1] + steps[to]!);
    // Of two frames the shorter one is named, as held against the longer.
    const usual = run.length === 2 ? 0 : median(run);
    if (run.length > 1) run.forEach((v, i) => (out[from + i] = v - usual));
    from = to + 1;
  }
  return out;
}
