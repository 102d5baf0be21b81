import { arcDeg, sunPosition } from '@tawny/core';
import {
  firstLostFirst,
  REFERENCE_KINDS,
  type EyeLine,
  type Gap,
  type Handoff,
  type LampRecord,
  type LensRecord,
  type LightRound,
  type Location,
  type Need,
  type Reading,
  type ReferenceKind,
  type Setup,
  type Take,
} from '@tawny/contract';

/** A round with what became of it. */
export interface RoundFacts {
  round: Pick<LightRound, 'id' | 'name' | 'lightCondition' | 'shotAt'>;
  frames: number;
  panorama: { id: string; sun: { clipped: boolean } | null; framesPerView: number } | null;
  north: boolean;
  gain: boolean;
  /** Names of facts under its panorama or calibration that changed since. */
  stale: { panorama: string[]; calibration: string[] };
}

/** What the rules look at of a take. */
export type GapTake = Pick<
  Take,
  | 'id'
  | 'slate'
  | 'take'
  | 'camera'
  | 'lightCondition'
  | 'shotAt'
  | 'heightM'
  | 'tiltDeg'
  | 'lensId'
  | 'focalLengthMm'
  | 'focalMeasured'
>;

/** Of every rule that names takes, how many it names at most. */
export const NAMED_TAKES = 3;

/** Everything that the rules may look at; gathered once for a setup. */
export interface SetupFacts {
  setup: Setup;
  location: Pick<Location, 'latitudeDeg' | 'longitudeDeg' | 'altitudeM'>;
  /** All takes, or those that decide a rule: the newest of each light, one for each lens, the first that lack something. */
  takes: readonly GapTake[];
  rounds: readonly RoundFacts[];
  references: readonly { kind: ReferenceKind; lightCondition: string }[];
  /** Lenses that have a grid anywhere in the production. */
  gridLenses: ReadonlySet<string>;
  lenses: readonly LensRecord[];
  lamps: readonly LampRecord[];
  readings: readonly Pick<Reading, 'kind' | 'lightCondition'>[];
  eyeLines: readonly Pick<EyeLine, 'id'>[];
  handoffs: readonly Pick<Handoff, 'id'>[];
  /** When a light condition goes or went: the sun leaves or the condition ends. Null when nothing takes it away. */
  lightEnds: (condition: string) => Date | null;
  wrap: Date;
  now: Date;
}

interface Finding {
  what: string;
  reason: string;
  /** Whose end takes it away, where light does. */
  condition?: string;
  action: Gap['action'];
}

export interface GapRule {
  name: string;
  /** Asked only when the setup needs this. */
  need?: Need;
  /** What takes the chance away: the light, the end of the day, or nothing. */
  lostWith: 'light' | 'wrap' | 'nothing';
  find: (f: SetupFacts) => Finding[];
}

/** Conditions that have takes; the setup's own while there are none. */
export function conditionsOf(f: SetupFacts): string[] {
  const logged = [...new Set(f.takes.map((t) => lightOf(f, t)))];
  return logged.length > 0 ? logged : [f.setup.lightCondition];
}

type Shot = Pick<SetupFacts, 'setup' | 'takes' | 'rounds'>;
const lightOf = (f: Pick<Shot, 'setup'>, t: GapTake) => t.lightCondition || f.setup.lightCondition;

/** Rounds of a light that were shot: one without frames is planned at most. */
const roundsIn = (f: Pick<Shot, 'rounds'>, condition: string) =>
  f.rounds.filter((r) => r.round.lightCondition === condition && r.frames > 0);

/** When something was shot last in a light; null when nothing was. */
export function newestIn(f: Shot, condition: string): Date | null {
  const times = [
    ...f.takes.filter((t) => lightOf(f, t) === condition).map((t) => t.shotAt),
    ...roundsIn(f, condition).map((r) => r.round.shotAt),
  ].map((at) => Date.parse(at));
  return times.length > 0 ? new Date(Math.max(...times)) : null;
}

const at = (f: SetupFacts, place: string, extra = '') => `/${place}?setup=${f.setup.id}${extra}`;
/** Where this round's panorama is measured, not the one that the day suggests. */
const measuring = (f: SetupFacts, { panorama }: RoundFacts) =>
  at(f, 'measure', panorama ? `&panorama=${panorama.id}` : '');
const takeName = (t: GapTake) => `${t.slate}/${t.take}${t.camera}`;
const newest = (rounds: readonly RoundFacts[]): RoundFacts | undefined => {
  const times = rounds.map((r) => Date.parse(r.round.shotAt));
  return rounds[times.indexOf(Math.max(...times))];
};

/** References that are shot once a light condition. */
const PER_CONDITION: [Need & ReferenceKind, string][] = [
  ['greyCard', 'exposure'],
  ['chart', 'colour'],
  ['greyBall', 'the proof of soft light'],
  ['chromeBall', 'the proof of direction'],
];
const ONCE: [Need & ReferenceKind, string][] = [
  ['cleanPlate', 'it cannot be shot again once the camera moves'],
  ['setPhoto', 'nobody remembers the set in three weeks'],
];

const missingReference = (kind: ReferenceKind, condition: string | null, why: string, f: SetupFacts): Finding => ({
  what: `${REFERENCE_KINDS[kind].toLowerCase()}${condition ? ` in "${condition}"` : ''}`,
  ...(condition && { condition }),
  reason: why,
  action: {
    title: `Photograph the ${REFERENCE_KINDS[kind].toLowerCase()}`,
    path: at(f, 'log/records', `&add=${kind}`),
  },
});

/** The rules, in the order that breaks ties between things lost at the same time. */
export const GAP_RULES: readonly GapRule[] = [
  {
    name: 'round',
    need: 'round',
    lostWith: 'light',
    find: (f) =>
      conditionsOf(f)
        .filter((c) => roundsIn(f, c).length === 0)
        .map((c) => ({
          what: `a round in "${c}"`,
          condition: c,
          reason:
            f.takes.length > 0
              ? 'takes are logged in this light and no panorama shows it'
              : 'this light has no panorama yet',
          action: { title: 'Shoot the round', path: at(f, 'round') },
        })),
  },
  {
    name: 'staleRound',
    need: 'round',
    lostWith: 'light',
    find: (f) =>
      conditionsOf(f).flatMap((c) => {
        const round = newest(roundsIn(f, c));
        const last = f.takes
          .filter((t) => lightOf(f, t) === c)
          .sort((a, b) => Date.parse(b.shotAt) - Date.parse(a.shotAt))[0];
        if (!round || !last) return [];
        const [then, now] = [new Date(round.round.shotAt), new Date(last.shotAt)];
        const drift =
          f.setup.kind === 'interior'
            ? 0
            : arcDeg(sunPosition(f.location, then).direction, sunPosition(f.location, now).direction);
        const minutes = (now.getTime() - then.getTime()) / 60000;
        const why =
          drift > f.setup.driftLimitDeg
            ? `the sun moved ${drift.toFixed(1)}° between ${round.round.name} and ${takeName(last)} (limit ${f.setup.driftLimitDeg}°)`
            : minutes > f.setup.ageLimitMin
              ? `${round.round.name} is ${Math.round(minutes)} min older than ${takeName(last)} (limit ${f.setup.ageLimitMin} min)`
              : null;
        return why
          ? [
              {
                what: `a fresh round in "${c}"`,
                condition: c,
                reason: why,
                action: { title: 'Shoot it again', path: at(f, 'round') },
              },
            ]
          : [];
      }),
  },
  {
    name: 'clippedSun',
    lostWith: 'light',
    find: (f) =>
      f.rounds
        .filter((r) => r.panorama?.sun?.clipped)
        .map((r) => ({
          what: 'a shorter frame that holds the sun',
          condition: r.round.lightCondition,
          reason: `in ${r.round.name} every frame clips it`,
          action: { title: 'Open the round', path: at(f, `round/${r.round.id}`) },
        })),
  },
  {
    name: 'singleExposure',
    lostWith: 'light',
    find: (f) =>
      f.rounds
        .filter((r) => r.panorama?.framesPerView === 1)
        .map((r) => ({
          what: 'a bracket',
          condition: r.round.lightCondition,
          reason: `${r.round.name} is a single exposure: its highlights are not measured`,
          action: { title: 'Open the round', path: at(f, `round/${r.round.id}`) },
        })),
  },
  ...PER_CONDITION.map(([kind, why]): GapRule => ({
    name: kind,
    need: kind,
    lostWith: 'light',
    find: (f) =>
      conditionsOf(f)
        .filter(
          (c) => !f.references.some((r) => r.kind === kind && (r.lightCondition === c || r.lightCondition === '')),
        )
        .map((c) => missingReference(kind, c, `it gives ${why}`, f)),
  })),
  ...ONCE.map(([kind, why]): GapRule => ({
    name: kind,
    need: kind,
    lostWith: 'wrap',
    find: (f) => (f.references.some((r) => r.kind === kind) ? [] : [missingReference(kind, null, why, f)]),
  })),
  {
    name: 'take',
    lostWith: 'wrap',
    find: (f) =>
      f.takes.length > 0
        ? []
        : [
            {
              what: 'a logged take',
              reason: 'nothing says what the camera did',
              action: { title: 'Log a take', path: at(f, 'log/new') },
            },
          ],
  },
  {
    name: 'cameraHeight',
    need: 'cameraHeight',
    lostWith: 'wrap',
    find: (f) =>
      f.takes
        .filter((t) => t.heightM === null || t.tiltDeg === null)
        .slice(0, NAMED_TAKES)
        .map((t) => ({
          what: `${[t.heightM === null ? 'height' : '', t.tiltDeg === null ? 'tilt' : ''].filter(Boolean).join(' and ')} of ${takeName(t)}`,
          reason: 'the camera cannot be placed without',
          action: { title: 'Add it', path: at(f, 'log/new', `&take=${t.id}`) },
        })),
  },
  {
    name: 'zoomFocal',
    lostWith: 'wrap',
    find: (f) =>
      f.takes
        .filter((t) => !t.focalMeasured && f.lenses.find((l) => l.id === t.lensId)?.kind === 'zoom')
        .slice(0, NAMED_TAKES)
        .map((t) => ({
          what: `a measured focal length of ${takeName(t)}`,
          reason: `${t.focalLengthMm} mm was read off the zoom's barrel`,
          action: { title: 'Open the take', path: at(f, 'log/new', `&take=${t.id}`) },
        })),
  },
  {
    name: 'lampPositions',
    need: 'lampPositions',
    lostWith: 'wrap',
    find: (f) => {
      if (f.lamps.length === 0)
        return [
          {
            what: 'the lamps',
            reason: 'none is recorded',
            action: { title: 'Record a lamp', path: at(f, 'log/records', '&add=lamp') },
          },
        ];
      return f.lamps
        .filter((l) => l.eastM === null || l.northM === null || l.heightM === null)
        .map((l) => ({
          what: `the position of ${l.name}`,
          reason: 'a lamp without a place cannot be rebuilt',
          action: { title: 'Place it', path: at(f, 'log/records', `&lamp=${l.id}`) },
        }));
    },
  },
  {
    name: 'luxReading',
    need: 'luxReading',
    lostWith: 'light',
    find: (f) =>
      conditionsOf(f)
        .filter((c) => !f.readings.some((r) => r.kind === 'lux' && (r.lightCondition === c || r.lightCondition === '')))
        .map((c) => ({
          what: `a lux reading in "${c}"`,
          condition: c,
          reason: 'it is the second witness for exposure',
          action: { title: 'Take a reading', path: at(f, 'log/records', '&add=reading') },
        })),
  },
  {
    name: 'eyeLine',
    need: 'eyeLine',
    lostWith: 'wrap',
    find: (f) =>
      f.eyeLines.length > 0
        ? []
        : [
            {
              what: 'an eye line',
              reason: 'the animator needs to know where to look',
              action: { title: 'Set an eye line', path: at(f, 'log/records', '&add=eyeLine') },
            },
          ],
  },
  {
    name: 'lensGrid',
    need: 'lensGrid',
    lostWith: 'nothing',
    find: (f) =>
      [...new Set(f.takes.map((t) => t.lensId))]
        .filter((id) => !f.gridLenses.has(id))
        .map((id) => ({
          what: `a lens grid of ${f.lenses.find((l) => l.id === id)?.name ?? 'a lens'}`,
          reason: 'its distortion is not known',
          action: { title: 'Add the grid', path: at(f, 'log/records', `&add=lensGrid&lens=${id}`) },
        })),
  },
  {
    name: 'panorama',
    lostWith: 'nothing',
    find: (f) =>
      f.rounds
        .filter((r) => r.frames > 0 && !r.panorama)
        .map((r) => ({
          what: `the panorama of ${r.round.name}`,
          reason: 'its frames are not built yet',
          action: { title: 'Build it', path: at(f, `round/${r.round.id}`) },
        })),
  },
  {
    name: 'north',
    lostWith: 'nothing',
    find: (f) =>
      f.rounds
        .filter((r) => r.panorama && !r.north && (r.panorama.sun || f.setup.kind !== 'interior'))
        .map((r) => ({
          what: `north of ${r.round.name}`,
          reason: "the panorama keeps the rig's own heading",
          action: { title: 'Measure north', path: measuring(f, r) },
        })),
  },
  {
    name: 'exposure',
    lostWith: 'nothing',
    find: (f) =>
      f.rounds
        .filter((r) => r.panorama && !r.gain)
        .map((r) => ({
          what: `exposure of ${r.round.name} by the grey card`,
          reason: "its scale is not the plate's",
          action: { title: 'Measure exposure', path: measuring(f, r) },
        })),
  },
  {
    name: 'stale',
    lostWith: 'nothing',
    find: (f) =>
      f.rounds.flatMap((r) => {
        const { round, stale } = r;
        // A panorama that is built anew is measured anew: said once, where it begins.
        const [what, names, action] =
          stale.panorama.length > 0
            ? ([
                `${round.name} built again`,
                stale.panorama,
                { title: 'Open the round', path: at(f, `round/${round.id}`) },
              ] as const)
            : ([
                `${round.name} measured again`,
                stale.calibration,
                { title: 'Measure', path: measuring(f, r) },
              ] as const);
        return names.length === 0 ? [] : [{ what, reason: `${names.join(', ')} changed since`, action }];
      }),
  },
  {
    name: 'handoff',
    lostWith: 'nothing',
    find: (f) =>
      f.handoffs.length === 0 && f.rounds.some((r) => r.gain)
        ? [
            {
              what: 'a handoff',
              reason: 'everything measured waits to be delivered',
              action: { title: 'Hand off', path: at(f, 'handoff') },
            },
          ]
        : [],
  },
];

const NOW_MS = 60 * 60000;

/** The gap list of a setup: what is lost first stands first, what is gone last; a setup marked done has lost its time already. */
export function gapsOf(f: SetupFacts): Gap[] {
  const asked = new Map<string, Date | null>();
  const lightEnds = (condition: string): Date | null => {
    if (!asked.has(condition)) asked.set(condition, f.lightEnds(condition));
    return asked.get(condition) ?? null;
  };
  // An end that was only said is a plan, and light goes on beyond plans: it hurries, and nothing is gone by it.
  const isPlan = (condition: string | undefined, end: Date) =>
    f.setup.lightConditions.some((c) => c.name === condition && c.to !== null && Date.parse(c.to) === end.getTime());
  const found = GAP_RULES.filter((r) => !r.need || f.setup.needs.includes(r.need)).flatMap((rule) =>
    rule.find(f).map(({ condition, ...g }): Gap => {
      const light = rule.lostWith === 'light' ? lightEnds(condition ?? f.setup.lightCondition) : null;
      const ends = rule.lostWith === 'nothing' ? null : light && light < f.wrap ? light : f.wrap;
      return {
        ...{ ...g, rule: rule.name, setupId: f.setup.id, lostAt: ends?.toISOString() ?? null },
        urgency:
          ends === null
            ? 'later'
            : light && light <= f.now && !isPlan(condition, light)
              ? 'gone'
              : f.setup.done || ends.getTime() - f.now.getTime() < NOW_MS
                ? 'now'
                : 'today',
      };
    }),
  );
  return firstLostFirst(found);
}
