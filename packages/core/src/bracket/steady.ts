import { median, spreadOfQuartiles } from '../estimate/robust';
import { LIMITS } from '../sphere/limits';
import type { HeldRatio } from './heldRatio';
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

/** With fewer cells than this a glance sees lights at best, and the pixels are asked. */
const FEW_CELLS = 40;
/** So they are where it would have a frame called unsteady, of the steps that make it so. */
const STEP_STOPS = 0.05;
/** Fewer pixels than this say nothing. So many neighbours see the same light. */
const LEAST_PIXELS = 16;
const NEIGHBOURS = 16;
/** What few pixels beside lights depart from other views' without any fault: their levels are others, and the curve is not quite the camera's. */
const FEW_LIGHTS_STOPS = 0.2;
/** Pixels bear out what a glance says when they say this much of it. */
const BORNE_OUT = 0.5;

/** Two frames next to each other in a view: for every cell that both hold its band and how far the frames' ratio departs from their exposures', stops. */
interface Pair {
  rungs: string;
  cells: { band: number; stops: number }[];
}

/** Every two neighbours of every view, the longer first. */
type Pairs = (Pair | null)[][];

const pairsOf = (views: readonly (readonly SteadyFrame[])[]): Pairs =>
  views.map((v) => v.slice(1).map((f, i) => pairOf(v[i], f)));

/** What a glance says of every pair, stops; null where it says nothing. */
function glanced(pairs: Pairs): (number | null)[][] {
  const expected = new Map<string, Map<number, number>>();
  for (const rungs of new Set(pairs.flat().map((p) => p?.rungs)))
    if (rungs !== undefined) expected.set(rungs, bandsOf(pairs.flat().filter((p) => p?.rungs === rungs) as Pair[])); // prettier-ignore
  return pairs.map((view) =>
    view.map((p) => {
      const bands = p && expected.get(p.rungs)!;
      const off = p ? p.cells.flatMap((c) => (bands!.has(c.band) ? [c.stops - bands!.get(c.band)!] : [])) : [];
      return off.length >= LEAST_CELLS ? beyondChance(off) : null;
    }),
  );
}

/**
 * Pairs of neighbours, by the longer frame of each, of which the pixels are to be compared (`heldRatio`): a glance sees too little of them, or says
 * something of one of them; and the same rungs of all other views, for it is they that it is held against.
 */
export function pairsToCompare(views: readonly (readonly SteadyFrame[])[]): boolean[][] {
  const pairs = pairsOf(views);
  const said = glanced(pairs);
  const asked = new Set<string>();
  for (const [v, view] of pairs.entries()) {
    const doubted = chained(views[v].length, said[v]).some((d) => Math.abs(d ?? 0) > LIMITS.unsteady.good);
    for (const [i, p] of view.entries())
      if (p && (p.cells.length < FEW_CELLS || (doubted && Math.abs(said[v][i] ?? 0) > STEP_STOPS))) asked.add(p.rungs);
  }
  const peers = (rungs: string) => pairs.filter((view) => view.some((p) => p?.rungs === rungs)).length;
  return pairs.map((view) => view.map((p) => p !== null && asked.has(p.rungs) && peers(p.rungs) >= LEAST_PEERS));
}

/**
 * By how many stops each frame is brighter than the other frames of its view make it, judged by what the same rungs do in the other views: what the
 * camera's curve and its shutter do, they do in every view, so far less shows than against the exposures that files state. Null for frames that have
 * not three other views with the same rungs. Views longest exposure first.
 * @param compared what the pixels say of each pair that `pairsToCompare` asks for; null for the others
 */
export function frameDepartures(
  views: readonly (readonly SteadyFrame[])[],
  compared: readonly (readonly (HeldRatio | null)[])[] = views.map((v) => v.slice(1).map(() => null)),
): (number | null)[][] {
  const pairs = pairsOf(views);
  const said = glanced(pairs);
  const usual = usualRatios(pairs, compared);
  return views.map((view, v) =>
    chained(
      view.length,
      pairs[v].map((p, i) => {
        const ratio = compared[v][i];
        const expected = p && usual.get(p.rungs);
        if (!ratio || ratio.pixels < LEAST_PIXELS || expected === undefined || expected === null) return said[v][i];
        const off = ratio.stops - expected;
        if (p!.cells.length < FEW_CELLS) return Math.abs(off) > Math.max(FEW_LIGHTS_STOPS, ofFewPixels(ratio)) ? off : 0; // prettier-ignore
        const glance = said[v][i] ?? 0;
        return off * Math.sign(glance) >= BORNE_OUT * Math.abs(glance) ? glance : 0;
      }),
    ),
  );
}

/** How far the ratio of some pixels may be off by chance, stops. */
const ofFewPixels = ({ spread, pixels }: HeldRatio) => withinCells(spread, pixels / NEIGHBOURS);

/** What most views say of two rungs by their pixels. */
function usualRatios(pairs: Pairs, compared: readonly (readonly (HeldRatio | null)[])[]): Map<string, number> {
  const of = new Map<string, number[]>();
  for (const [v, view] of pairs.entries())
    for (const [i, p] of view.entries()) {
      const ratio = compared[v][i];
      if (p && ratio && ratio.pixels >= LEAST_PIXELS) of.set(p.rungs, [...(of.get(p.rungs) ?? []), ratio.stops]);
    }
  return new Map([...of].filter(([, all]) => all.length >= LEAST_PEERS).map(([rungs, all]) => [rungs, median(all)]));
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
