import { buildPanorama, checkPanorama, checkViews, knownOfBuild } from '@tawny/pipeline';
import { inFolder } from '../onDisk';
import { kept } from './kept';
import { looksAt, FAULTS, shootRound, VERDICT_RIG, verdictPlaces, type Fault, type Place, type RoundCase, type ShotRound } from './verdictRounds'; // prettier-ignore
import type { Row, Section } from './table';

/** What is said, by its words. */
const SAID: [Fault | 'moved' | 'light' | 'noise', RegExp][] = [
  ['clipped', /cut off|white all over/],
  ['dark', /noise only|is black/],
  ['flicker', /(brighter|darker) against|says [+−][\d.]+ stops against/],
  ['shaken', /was bumped/],
  ['foreign', /does not show what|does it belong|frames missing|too many|repeats|form \d+ brackets/],
  ['not turned', /shows what view/],
  ['out of place', /from where the rig puts it/],
  ['tone-mapped', /no single response/],
  ['moved', /moved/],
  ['light', /light changed|light drift|light that changed|disagree where they overlap/],
  ['noise', /noisier|lifted by glare/],
];
const COLUMNS = [...SAID.map(([name]) => name), 'other', 'nothing'] as const;
type Column = (typeof COLUMNS)[number];

/** A frame brighter than its neighbours is one finding, whatever made it so. */
const FOUND_AS: Partial<Record<Fault, Column>> = { 'not held': 'flicker' };
/** Told by the build, not by the look at the station. */
const BUILT: readonly Fault[] = ['out of place', 'tone-mapped'];
/** Of complete rounds every fourth is built, too: a build takes ten times as long as a look. */
const BUILT_EACH = 4;
const PANORAMA_PX = 512;
/** Rounds that are judged side by side. */
const AT_ONCE = 3;

interface Told {
  round: ShotRound;
  /** Everything that was said, with the view that it was said of (null: of the round). */
  words: { view: number | null; text: string }[];
}

/** Takes a round, looks at it as at the station, and builds it where that is what tells. Null when the place cannot be held. */
async function judged(place: Place, looks: ReturnType<typeof looksAt>, round: RoundCase): Promise<Told | null> {
  return inFolder(async (folder) => {
    const shot = await shootRound(place, looks, round, folder);
    if (!shot) return null;
    const words: Told['words'] = [];
    try {
      const views = await checkViews({ files: shot.files, rig: VERDICT_RIG });
      views.forEach((v, i) => v.findings.forEach((text) => words.push({ view: i, text })));
      if (round.fault === null ? round.seed % BUILT_EACH === 0 : BUILT.includes(round.fault)) {
        const built = await buildPanorama({ files: shot.files, rig: VERDICT_RIG, width: PANORAMA_PX });
        const { checks } = checkPanorama(built.panorama, { clippedSr: built.clippedSr }, knownOfBuild(built));
        built.warnings.forEach((text) => words.push({ view: null, text }));
        checks
          // A small panorama, and places of which nobody knows how bright they were.
          .filter((c) => c.verdict !== 'good' && c.name !== 'resolution' && c.name !== 'missing sunlight')
          .forEach((c) =>
            words.push({ view: null, text: `${c.name} ${c.value?.toPrecision(3)} ${c.unit}: ${c.words}` }),
          );
      }
    } catch (error) {
      // A round that is refused by name is told, too.
      if (!(error instanceof RangeError)) throw error;
      words.push({ view: null, text: error.message });
    }
    return { round: shot, words };
  });
}

const columnOf = (text: string): Column => SAID.find(([, words]) => words.test(text))?.[0] ?? 'other';

export interface VerdictCount {
  rounds: number;
  /** Rounds in which it was said, of each kind. */
  said: Partial<Record<Column, number>>;
  found: number;
}

/** Rounds of one fault, spread over all places; `say` hears what was said falsely or not at all. */
export async function verdictsOf(
  fault: Fault | null,
  half: boolean,
  count: number,
  places: readonly { place: Place; looks: ReturnType<typeof looksAt> }[],
  say: (line: string) => void = () => undefined,
): Promise<VerdictCount> {
  const out: VerdictCount = { rounds: 0, said: {}, found: 0 };
  const wanted = fault === null ? 'nothing' : (FOUND_AS[fault] ?? fault);
  const take = ({ round, words }: Told, seed: number) => {
    out.rounds++;
    const kinds = new Set(words.map((w) => columnOf(w.text)));
    if (kinds.size === 0) kinds.add('nothing');
    for (const k of kinds) out.said[k] = (out.said[k] ?? 0) + 1;
    const { faulty } = round;
    // The right word of the right view, or of the round as a whole.
    const hit =
      fault === null
        ? kinds.has('nothing')
        : words.some((w) => columnOf(w.text) === wanted && (w.view === null || faulty === null || w.view === faulty));
    if (hit) return void out.found++;
    const line = `${fault ?? 'complete'}${half ? ', half' : ''}, ${round.place.name}, seed ${seed}, ${round.frames} frames at ${round.stepEv.toFixed(2)} EV: ${words.map((w) => w.text).join(' | ') || 'nothing said'}`;
    say(line);
  };
  // A round keeps about one core busy.
  for (let seed = 1; out.rounds < count && seed < 4 * count; seed += AT_ONCE) {
    const seeds = Array.from({ length: Math.min(AT_ONCE, count - out.rounds) }, (_, i) => seed + i);
    const told = await Promise.all(
      seeds.map((s) => {
        const { place, looks } = places[s % places.length];
        return judged(place, looks, { seed: s, fault, half });
      }),
    );
    told.forEach((t, i) => t && take(t, seeds[i]));
  }
  return out;
}

/** What was counted for one kind of rounds. */
export interface Counted {
  name: string;
  fault: Fault | null;
  half: boolean;
  count: VerdictCount;
}

export async function verdictsSection(rounds: number, complete: number): Promise<Section> {
  const places = (await verdictPlaces()).map((place) => ({ place, looks: looksAt(place) }));
  const say = (line: string) => process.stderr.write(`    ${line}\n`);
  const counts: Counted[] = [];
  const counted = async (name: string, fault: Fault | null, half: boolean, of: number, among: typeof places) => {
    say(`${name} ...`);
    const count = await kept(import.meta.url, 'verdicts', `${name} ${of}`, () =>
      verdictsOf(fault, half, of, among, half ? undefined : say),
    );
    say(`${name}: ${count.found} of ${count.rounds}`);
    counts.push({ name, fault, half, count });
  };
  for (const kind of ['sun', 'overcast', 'interior'] as const) {
    const among = places.filter((p) => p.place.kind === kind);
    await counted(`complete, ${kind}`, null, false, complete / 3, among);
  }
  for (const half of [false, true])
    for (const fault of FAULTS)
      await counted(`${fault}${half ? ', half the size' : ''}`, fault, half, half ? rounds / 2 : rounds, places);
  return verdictsTable(places.map((p) => p.place.name), counts); // prettier-ignore
}

export function verdictsTable(places: readonly string[], counts: readonly Counted[]): Section {
  const whole = counts.filter((c) => c.fault === null);
  const falseWords = whole.reduce((n, c) => n + c.count.rounds - c.count.found, 0);
  const of = ({ count }: Counted) =>
    COLUMNS.filter((k) => count.said[k])
      .map((k) => `${k} ${count.said[k]}`)
      .join(', ');
  return {
    title: 'Verdicts',
    how: `Rounds of six fisheye views, 3 to 9 JPEGs each, by a camera of the table's own (full or halved chroma, real shutters 3 % off, heads a degree off, a shoulder in a third of them), of ${places.join('; ')}. A fault is done to one view; a bracket that is too short and tone mapping to all. "Found": the right word about the right view, at the station, or (out of place, tone-mapped) on building; of the complete rounds every fourth is built. What was said, and in how many rounds, stands behind; a round may hear several. Not in it: the resolution of the ${PANORAMA_PX} px panorama, and missing sunlight, for nobody knows how bright the real places were.`,
    rows: [
      {
        what: `complete rounds with any word of doubt, of ${whole.reduce((n, c) => n + c.count.rounds, 0)}`,
        bound: '4 of 240',
        measured: String(falseWords),
        holds: falseWords <= (4 / 240) * whole.reduce((n, c) => n + c.count.rounds, 0),
      },
      ...counts.map((c): Row => ({
        what: `${c.name}: found, and what was said`,
        bound: c.fault !== null && !c.half ? '36 of 40' : '-',
        measured: `${c.count.found} of ${c.count.rounds} (${of(c)})`,
        holds: c.fault !== null && !c.half ? c.count.found >= 0.9 * c.count.rounds : null,
      })),
    ],
  };
}
