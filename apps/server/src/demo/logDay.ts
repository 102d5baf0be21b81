import { randomUUID } from 'node:crypto';
import {
  createClient,
  type Answered,
  type Asked,
  type Gap,
  type Job,
  type Need,
  type OperationName,
  type ReferenceKind,
  type Setup,
  type Station,
  type Take,
} from '@tawny/contract';

export interface DayOptions {
  views: number;
  frames: number;
  framePx: number;
  panoramaPx: number;
}

const FULL: DayOptions = { views: 6, frames: 7, framePx: 2000, panoramaPx: 4096 };
/** Gaps that want a person's eye or decision; the demo day leaves them open. */
export const LEFT_OPEN: readonly string[] = ['exposure', 'handoff'];
const SLATES: readonly string[] = ['14A', '15', '22B'];
const PHOTOGRAPHED: readonly string[] = [
  'greyCard',
  'chart',
  'greyBall',
  'chromeBall',
  'cleanPlate',
  'lensGrid',
  'setPhoto',
] satisfies (Need & ReferenceKind)[];

type Called<N extends OperationName> = Omit<Asked<N>, 'params'> & { id?: string };

/** Talks to a running server as the interface does, and lets everybody else go first. */
class Desk {
  private readonly send;

  constructor(base: string) {
    this.send = createClient(async ({ method, url, headers, body }) => {
      const response = await fetch(`${base}${url}`, {
        method,
        headers: { ...headers, 'Tawny-Background': 'yes' },
        body,
      });
      return { status: response.status, text: await response.text() };
    }, randomUUID);
  }

  call<N extends OperationName>(name: N, { id, ...asked }: Called<N>): Promise<Answered<N>> {
    return this.send(name, { ...asked, params: { production: 'HERN', ...(id ? { id } : {}) } } as unknown as Asked<N>);
  }

  /** Waits for a job and gives what it made. @throws Error with the job's own words when it failed */
  async done(job: Job): Promise<string | null> {
    for (;;) {
      const now = await this.call('jobs.get', { id: job.id });
      if (now.state === 'done') return now.resultId;
      if (now.state !== 'queued' && now.state !== 'running')
        throw new Error(`${now.kind} ${now.state}: ${now.error?.message ?? ''}`);
      await new Promise((r) => setTimeout(r, 500));
    }
  }
}

/**
 * Logs the demo day as a crew would: takes in every light, then whatever the gap list asks for, in its order, until nothing is left that the stand-ins can do.
 * Everything goes through the API. @returns the gaps that stay open
 */
export async function logDay(base: string, say: (line: string) => void, options: DayOptions = FULL): Promise<Gap[]> {
  const desk = new Desk(base);
  // Only the day's own setups: what people added is theirs.
  const setups = (await desk.call('setups.list', {})).items.filter((s) => SLATES.includes(s.slate));
  await logTakes(desk, setups);
  const tried = new Set<string>();
  for (;;) {
    const gaps = (await desk.call('gaps.list', {})).items
      .filter((g) => setups.some((s) => s.id === g.setupId))
      .flatMap((g) => g.gaps);
    const next = gaps.find((g) => !LEFT_OPEN.includes(g.rule) && !tried.has(`${g.setupId} ${g.rule} ${g.what}`));
    if (!next) return gaps;
    tried.add(`${next.setupId} ${next.rule} ${next.what}`);
    const setup = setups.find((s) => s.id === next.setupId)!;
    say(`${setup.slate} ${setup.name}: ${next.what}`);
    await close(desk, setup, next, options);
  }
}

/** Takes in the light conditions that have none yet, copied from a take as a second camera assistant would. */
async function logTakes(desk: Desk, setups: readonly Setup[]): Promise<void> {
  const takes = (
    await Promise.all(setups.map(async (s) => (await desk.call('takes.list', { query: { setupId: s.id } })).items))
  ).flat();
  const copy = async (setup: Setup, model: Take, change: Partial<Take>) => {
    const { version: _v, createdAt: _c, updatedAt: _u, ...fields } = model;
    await desk.call('takes.create', {
      body: {
        ...fields,
        id: randomUUID(),
        setupId: setup.id,
        fromFile: {},
        timecodeIn: null,
        timecodeOut: null,
        ...change,
      },
    });
  };
  for (const setup of setups) {
    const own = takes.filter((t) => t.setupId === setup.id);
    const model = own[0] ?? takes.find((t) => setups.find((s) => s.id === t.setupId)?.kind === setup.kind);
    if (!model) continue;
    const conditions =
      setup.lightConditions.length > 0
        ? setup.lightConditions
        : [{ name: setup.lightCondition, from: setup.lightAt, to: null }];
    let take = Math.max(0, ...own.map((t) => t.take));
    for (const condition of conditions) {
      if (own.some((t) => (t.lightCondition || setup.lightCondition) === condition.name)) continue;
      take++;
      const shotAt = new Date(
        new Date(condition.from ?? setup.lightAt ?? model.shotAt).getTime() + 4 * 60000,
      ).toISOString();
      const clip = `${model.roll}_C${String(20 + take).padStart(3, '0')}`;
      await copy(setup, model, {
        slate: setup.slate,
        take,
        lightCondition: condition.name,
        shotAt,
        clip,
        status: 'circled',
        // Where card, chart and balls stand in the picture.
        ...(setup.kind === 'exterior' && setup.lightCondition !== 'sun out'
          ? { headingDeg: 4, eastM: -0.5, northM: -4.1 }
          : {}),
      });
    }
  }
}

/** Does what a gap asks for. */
async function close(desk: Desk, setup: Setup, gap: Gap, options: DayOptions): Promise<void> {
  const takes = (await desk.call('takes.list', { query: { setupId: setup.id } })).items.sort((a, b) =>
    a.shotAt.localeCompare(b.shotAt),
  );
  const named = takes.filter((t) => gap.what.includes(`"${t.lightCondition || setup.lightCondition}"`));
  const take = named[named.length - 1] ?? takes[takes.length - 1];
  if (PHOTOGRAPHED.includes(gap.rule)) {
    const byLens = gap.rule === 'lensGrid' ? takes.find((t) => gap.action.path.includes(t.lensId)) : undefined;
    await desk.done(
      await desk.call('references.simulate', {
        body: { kind: gap.rule as ReferenceKind, takeId: (byLens ?? take).id },
      }),
    );
  } else if (gap.rule === 'round' || gap.rule === 'staleRound') {
    await shootRound(desk, setup, take, options);
  } else if (gap.rule === 'panorama' || gap.rule === 'north') {
    await finishRounds(desk, setup, options);
  } else if (gap.rule === 'luxReading') {
    const station = await stationOf(desk, setup);
    const meter = (await desk.call('instruments.list', {})).items.find((i) => i.kind === 'luxMeter')!;
    const lightCondition = take.lightCondition || setup.lightCondition;
    const { shown } = await desk.call('instruments.simulate', {
      body: {
        setupId: setup.id,
        kind: 'lux',
        instrumentId: meter.id,
        stationId: station.id,
        takeId: null,
        at: take.shotAt,
        lightCondition,
      },
    });
    await desk.call('readings.create', {
      body: {
        id: randomUUID(),
        setupId: setup.id,
        stationId: station.id,
        kind: 'lux',
        shown,
        instrumentId: meter.id,
        receptor: 'flat',
        planeAzimuthDeg: 0,
        planeElevationDeg: 90,
        lightCondition,
        takenAt: take.shotAt,
        source: 'simulated',
        notes: '',
      },
    });
  } else if (gap.rule === 'zoomFocal') {
    // The stand-in's barrel tells the truth: what was read off it is what a measurement gives.
    for (const t of takes)
      if (!t.focalMeasured)
        await desk.call('takes.change', { id: t.id, body: { version: t.version, focalMeasured: true } });
  } else if (gap.rule === 'lampPositions') {
    for (const lamp of (await desk.call('lamps.list', { query: { setupId: setup.id } })).items) {
      if (lamp.eastM === null || lamp.northM === null || lamp.heightM === null)
        await desk.call('lamps.change', {
          id: lamp.id,
          body: {
            version: lamp.version,
            eastM: lamp.eastM ?? -2.2,
            northM: lamp.northM ?? 1.4,
            heightM: lamp.heightM ?? 2.1,
          },
        });
    }
  }
}

async function stationOf(desk: Desk, setup: Setup): Promise<Station> {
  const [station] = (await desk.call('stations.list', { query: { setupId: setup.id } })).items;
  return (
    station ??
    desk.call('stations.create', {
      body: {
        id: randomUUID(),
        setupId: setup.id,
        name: 'Station 1',
        eastM: -0.7,
        northM: -1.6,
        heightM: 1.6,
      },
    })
  );
}

async function shootRound(
  desk: Desk,
  setup: Setup,
  take: Take,
  { views, frames, framePx, panoramaPx }: DayOptions,
): Promise<void> {
  const station = await stationOf(desk, setup);
  const before = (await desk.call('rounds.list', { query: { stationId: station.id } })).items;
  const rig = (await desk.call('rigs.list', { query: {} })).items.find((r) => r.kind === 'bodyAndLens')!;
  const round = await desk.call('rounds.create', {
    body: {
      id: randomUUID(),
      stationId: station.id,
      name: `Round ${before.length + 1}`,
      lightCondition: take.lightCondition || setup.lightCondition,
      shotAt: take.shotAt,
      rigId: rig.id,
      rig: rig.statement,
    },
  });
  await desk.done(
    await desk.call('rounds.simulate', { id: round.id, body: { views, frames, stepEv: 8 / 3, widthPx: framePx } }),
  );
  await desk.done(await desk.call('rounds.build', { id: round.id, body: { widthPx: panoramaPx } }));
}

/** Builds what is not built and measures north where the sun can tell it. */
async function finishRounds(desk: Desk, setup: Setup, { panoramaPx }: DayOptions): Promise<void> {
  for (const station of (await desk.call('stations.list', { query: { setupId: setup.id } })).items) {
    for (const round of (await desk.call('rounds.list', { query: { stationId: station.id } })).items) {
      const panoramas = (await desk.call('panoramas.list', { query: { roundId: round.id } })).items;
      if (panoramas.length === 0)
        await desk.done(await desk.call('rounds.build', { id: round.id, body: { widthPx: panoramaPx } }));
      else if (panoramas[0].sun) await desk.call('panoramas.north', { id: panoramas[0].id, body: {} });
    }
  }
}
