import { useEffect, useState } from 'react';
import type { CameraBody, LensRecord, Take, TakeInput } from '@tawny/contract';
import { changedByHand, nextTake, SHARED_CELLS } from '@tawny/contract/takeRules';
import { guessedTime, type DayOfTake } from './takeTime';

/** What is being written: one draft a camera. */
export interface Drafts {
  takes: Record<string, TakeInput>;
  active: string;
  /** A change of one camera is a change of all. */
  same: boolean;
  /** Numbers of a camera's first take that nobody has said yet: what they begin with is no log. */
  unstated: Record<string, readonly Unstated[]>;
}

/** What a first take must be told; later ones are copies of it. */
export const FIRST_TOLD = {
  tStop: 'stop',
  ei: 'EI',
  shutterAngleDeg: 'shutter',
  fps: 'frame rate',
  ndStops: 'ND',
  whiteBalanceK: 'white balance',
  /** Of a zoom; a prime's is its own. */
  focalLengthMm: 'focal length',
} as const satisfies Partial<Record<keyof TakeInput, string>>;
export type Unstated = keyof typeof FIRST_TOLD;

/** Before the first take there is no neighbour to copy. */
function untold(take: TakeInput, { takes, lenses }: DraftContext): Unstated[] {
  if (takes.length > 0) return [];
  const zoom = lenses.find((l) => l.id === take.lensId)?.kind === 'zoom';
  return (Object.keys(FIRST_TOLD) as Unstated[]).filter((field) => zoom || field !== 'focalLengthMm');
}

const key = (setupId: string) => `tawny.take-drafts.${setupId}`;

/** Drafts live in the browser until the server has them: a reload or a dead battery loses nothing. */
function load(setupId: string): Drafts | null {
  const kept = localStorage.getItem(key(setupId));
  if (!kept) return null;
  try {
    // Drafts of before this was asked were said by whoever wrote them.
    const drafts = { unstated: {}, ...(JSON.parse(kept) as Partial<Drafts>) } as Drafts;
    // Drafts of before a time said how it is known: nobody had said it.
    const timed = Object.entries(drafts.takes).map(([c, t]): [string, TakeInput] => [
      c,
      { ...t, shotAtFrom: t.shotAtFrom ?? 'assumed' },
    ]);
    return { ...drafts, takes: Object.fromEntries(timed) };
  } catch {
    localStorage.removeItem(key(setupId));
    return null;
  }
}

export const clearDrafts = (setupId: string) => localStorage.removeItem(key(setupId));

/** What its own picture told of a take's camera is not the next one's. */
const inputOf = (take: Take): TakeInput => {
  const { version: _v, createdAt: _c, updatedAt: _u, pictureCamera: _p, ...fields } = take;
  return fields;
};

function firstTake({ setup, day, zone }: DraftContext, body: CameraBody, lens: LensRecord, camera: string): TakeInput {
  return {
    id: crypto.randomUUID(),
    setupId: setup.id,
    slate: setup.slate,
    take: 1,
    camera,
    status: 'good',
    bodyId: body.id,
    formatName: body.formats[0].name,
    lensId: lens.id,
    focalLengthMm: lens.focalMinMm,
    focalMeasured: false,
    tStop: Math.max(5.6, lens.tMin),
    ei: body.baseEi,
    shutterAngleDeg: 180,
    fps: 24,
    whiteBalanceK: 5600,
    ndStops: 0,
    heightM: null,
    tiltDeg: null,
    headingDeg: null,
    headingNorth: 'true',
    focusM: null,
    eastM: null,
    northM: null,
    stationOffset: null,
    lightCondition: setup.lightCondition,
    clip: '',
    roll: '',
    timecodeIn: null,
    timecodeOut: null,
    timecodeRate: null,
    filterIds: [],
    support: 'lockedOff',
    flopped: false,
    changes: [],
    fromFile: {},
    ...guessedTime(undefined, { setup, day, zone }),
    notes: '',
  };
}

/** What is still unsaid after a change: another zoom on a first take stands where somebody says, not where it begins. */
function openAfter(open: readonly Unstated[], part: Partial<TakeInput>, { takes, lenses }: DraftContext): Unstated[] {
  const left = open.filter((field) => !(field in part));
  const lens = lenses.find((l) => l.id === part.lensId);
  if (!lens || takes.length > 0 || part.fromFile) return left;
  const others = left.filter((field) => field !== 'focalLengthMm');
  return lens.kind === 'zoom' ? [...others, 'focalLengthMm'] : others;
}

/** The newest take of a camera. */
export const lastOf = (takes: readonly Take[], camera: string) => takes.find((t) => t.camera === camera);

export interface DraftContext extends DayOfTake {
  /** Takes of the setup, newest first. */
  takes: readonly Take[];
  bodies: readonly CameraBody[];
  lenses: readonly LensRecord[];
}

function draftFor(camera: string, context: DraftContext): TakeInput {
  const { setup, takes, bodies, lenses } = context;
  const own = lastOf(takes, camera);
  if (own)
    return {
      ...nextTake(inputOf(own), crypto.randomUUID(), guessedTime(takes[0], context)),
      slate: takes[0].slate,
      take: nextNumber(takes),
      lightCondition: setup.lightCondition,
    };
  const other = takes[0];
  // A camera that joins copies what its neighbour does, but for its own name and place.
  if (other)
    return {
      ...nextTake(inputOf(other), crypto.randomUUID(), guessedTime(other, context)),
      camera,
      eastM: null,
      northM: null,
      stationOffset: null,
      clip: '',
      roll: '',
      take: nextNumber(takes),
      lightCondition: setup.lightCondition,
    };
  return firstTake(context, bodies[0], lenses.find((l) => l.kind !== 'fisheye') ?? lenses[0], camera);
}

/** Number of the next take of the newest slate, over all cameras. */
export function nextNumber(takes: readonly Take[]): number {
  return takes.length === 0 ? 1 : Math.max(...takes.filter((t) => t.slate === takes[0].slate).map((t) => t.take)) + 1;
}

function fresh(context: DraftContext): Drafts {
  const slate = context.takes[0]?.slate;
  const cameras = [...new Set(context.takes.filter((t) => t.slate === slate).map((t) => t.camera))].sort();
  const letters = cameras.length > 0 ? cameras : ['A'];
  const takes = Object.fromEntries(letters.map((c) => [c, draftFor(c, context)]));
  const unstated = Object.fromEntries(letters.map((c) => [c, untold(takes[c], context)]));
  return { takes, active: letters[0], same: false, unstated };
}

/** Drafts with their history: every change is kept at once and can be taken back. */
export function useTakeDrafts(context: DraftContext, editing: Take | undefined) {
  const { setup } = context;
  const [drafts, setDrafts] = useState<Drafts>(() =>
    editing
      ? { takes: { [editing.camera]: inputOf(editing) }, active: editing.camera, same: false, unstated: {} }
      : (load(setup.id) ?? fresh(context)),
  );
  const [past, setPast] = useState<Drafts[]>([]);
  useEffect(() => {
    if (!editing) localStorage.setItem(key(setup.id), JSON.stringify(drafts));
  }, [setup.id, drafts, editing]);
  const put = (next: Drafts) => {
    setPast((p) => [...p.slice(-49), drafts]);
    setDrafts(next);
  };
  const change = (part: Partial<TakeInput>) => {
    const shared = Object.fromEntries(
      Object.entries(part).filter(([f]) => (SHARED_CELLS as readonly string[]).includes(f)),
    );
    const partOf = (camera: string) => (camera === drafts.active || drafts.same ? part : shared);
    const takes = Object.fromEntries(
      Object.entries(drafts.takes).map(([c, t]) => [c, { ...t, ...changedByHand(t, partOf(c)) }]),
    );
    const unstated = Object.fromEntries(
      Object.entries(drafts.unstated).map(([c, open]) => [c, openAfter(open, partOf(c), context)]),
    );
    put({ ...drafts, takes, unstated });
  };
  return {
    drafts,
    take: drafts.takes[drafts.active],
    unstated: drafts.unstated[drafts.active] ?? [],
    change,
    choose: (camera: string) => setDrafts({ ...drafts, active: camera }),
    setSame: (same: boolean) => setDrafts({ ...drafts, same }),
    addCamera: () => {
      const letter = 'ABCDEFGH'.split('').find((l) => !drafts.takes[l]);
      if (!letter) return;
      const draft = draftFor(letter, context);
      const unstated = { ...drafts.unstated, [letter]: untold(draft, context) };
      put({ ...drafts, takes: { ...drafts.takes, [letter]: draft }, active: letter, unstated });
    },
    dropCamera: (camera: string) => {
      const takes = Object.fromEntries(Object.entries(drafts.takes).filter(([c]) => c !== camera));
      const { [camera]: _dropped, ...unstated } = drafts.unstated;
      put({ ...drafts, takes, active: Object.keys(takes)[0], unstated });
    },
    undo:
      past.length === 0
        ? null
        : () => {
            setDrafts(past[past.length - 1]);
            setPast(past.slice(0, -1));
          },
    reset: (next: DraftContext) => {
      clearDrafts(setup.id);
      setPast([]);
      setDrafts(fresh(next));
    },
  };
}
