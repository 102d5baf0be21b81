import { randomUUID } from 'node:crypto';
import { expect, test, type APIRequestContext } from '@playwright/test';
import { Client } from 'pg';
import { OPERATIONS, type Operation } from '@tawny/contract';
import { CLIENT, getJson, HERN } from '../support/api';
import { boxOf } from '../support/lit';

/** Another production on the same server. Its own code reaches nothing of the first one's, whatever ids it knows. */
const OTHER = 'PLOVER';

test.beforeAll(async () => {
  const client = new Client({ connectionString: process.env.TAWNY_E2E_DATABASE });
  await client.connect();
  try {
    await client.query(
      "INSERT INTO productions (id, code, title, working_space) VALUES ($1, 'PLOVER', 'The Plover', 'acescg') ON CONFLICT (code) DO NOTHING",
      [randomUUID()],
    );
  } finally {
    await client.end();
  }
});

interface Known {
  id: string;
  version?: number;
}

/** A record of the first production by its resource; what it has none of is asked for by an id that could be. */
async function known(request: APIRequestContext, resource: string): Promise<Known> {
  const list = async (path: string) => (await getJson<{ items: Known[] }>(request, path)).items[0];
  const hung: Record<string, () => Promise<Known | undefined>> = {
    plates: async () => list(`/plates?takeId=${(await list('/takes')).id}`),
    clips: async () => list(`/clips?takeId=${(await list('/takes')).id}`),
    jobs: async () => list(`/jobs?subjectId=${(await list('/rounds'))?.id ?? randomUUID()}`),
  };
  return (await (hung[resource] ?? (() => list(`/${resource}`)))()) ?? { id: randomUUID(), version: 1 };
}

/** A body that would do if the record were one's own. */
function bodyFor(name: string, ids: Record<string, string>, version: number): unknown {
  const cards = { plateId: ids.plates, plateCorners: boxOf(0.1, 0.1, 0.2, 0.2), panoramaCorners: boxOf(10, 5, 20, -5) };
  const bodies: Record<string, unknown> = {
    'rounds.knownFrames': { hashes: ['0'.repeat(64)] },
    'rounds.simulate': { views: 6, frames: 3, stepEv: 2, widthPx: 256 },
    'rounds.build': { widthPx: 256 },
    'rounds.phoneFrame': { headingDeg: 0, tiltDeg: 0, rollDeg: 0, fovDeg: 54, shutterS: null },
    'panoramas.setAside': { part: 'scale', number: 1, reason: 'it lay in the shade' },
    'panoramas.card': cards,
    'panoramas.surface': { ...cards, panoramaCorners: undefined, kind: 'level' },
    'panoramas.colour': cards,
    'panoramas.colourByRegions': {
      plateId: ids.plates,
      regions: [1, 2].map((k) => ({ name: `region ${k}`, ...cards, plateId: undefined })),
    },
    'panoramas.findChart': { azimuthDeg: 0, elevationDeg: 0, spanDeg: 40 },
    'references.simulate': { kind: 'greyCard', takeId: ids.takes },
    'clips.plate': { frame: 0 },
    'handoffs.create': { id: randomUUID(), setupId: ids.setups, panoramaId: ids.panoramas, takeId: ids.takes },
    'takes.import': { setupId: ids.setups, fileName: 'x.csv', contentBase64: '', dryRun: false },
    'instruments.simulate': {
      setupId: ids.setups,
      kind: 'height',
      instrumentId: null,
      stationId: null,
      takeId: null,
      at: '2026-10-14T15:00:00Z',
      lightCondition: '',
    },
  };
  return bodies[name] ?? (name.endsWith('.change') ? { version } : {});
}

/** Paths below a take or a round belong to that record, whatever the operation is called. */
const ownerOf = (name: string, { path }: Operation) => path.match(/\/([a-z]+)\/:id/)?.[1] ?? name.split('.')[0];

const RESOURCES = [...new Set(OPERATIONS.map(({ name, operation }) => ownerOf(name, operation)))];

test('every operation of the table, with the ids of another production: nothing is read, nothing is done', async ({
  request,
}) => {
  const records: Record<string, Known> = {};
  for (const resource of RESOURCES.filter((r) => !['productions', 'gaps', 'kit'].includes(r))) {
    records[resource] = await known(request, resource);
  }
  const ids = Object.fromEntries(Object.entries(records).map(([resource, { id }]) => [resource, id]));
  const before = new Map<string, string>();
  const look = async (resource: string) =>
    JSON.stringify(await getJson(request, `/${resource}/${ids[resource]}`).catch(() => null));
  for (const { name } of OPERATIONS) {
    const [resource, verb] = name.split('.');
    if (verb === 'get' && ids[resource]) before.set(resource, await look(resource));
  }
  let tried = 0;
  for (const { name, operation } of OPERATIONS) {
    if (!operation.path.includes('/:production/') || /^(kit|gaps)\.|\.(create|upload)$/.test(name)) {
      if (name !== 'handoffs.create' && !/\/:id/.test(operation.path)) continue;
    }
    const owner = ownerOf(name, operation);
    const version = records[owner]?.version ?? 1;
    const path = operation.path
      .replace(':production', OTHER)
      .replace(':id', ids[owner])
      .replace(':column', '0')
      .replace(':row', '0')
      .replace(':number', '0');
    const query = {
      ...(name.endsWith('.remove') ? { version: String(version) } : {}),
      ...(name === 'panoramas.difference' ? { against: ids.panoramas } : {}),
      ...(name === 'plates.list' || name === 'clips.list' ? { takeId: ids.takes } : {}),
      ...(name === 'jobs.list' ? { subjectId: ids.rounds } : {}),
      ...(name === 'references.upload' ? { setupId: ids.setups, kind: 'setPhoto' } : {}),
    };
    const form = new FormData();
    form.append('frames', new Blob(['x']), 'x.jpg');
    const response = await request.fetch(`/api/v1${path}?${new URLSearchParams(query).toString()}`, {
      method: operation.method,
      headers: { 'Idempotency-Key': randomUUID(), ...CLIENT },
      ...(operation.takes === 'files' ? { multipart: form } : {}),
      ...(operation.takes === 'json' ? { data: bodyFor(name, ids, version) } : {}),
    });
    tried++;
    if (name.endsWith('.list') && !/\/:id/.test(operation.path)) {
      expect((await response.json()).items, name).toEqual([]);
      continue;
    }
    // Not found, or refused as a reference to what is not there: never done.
    expect([404, 422], `${name}: ${response.status()} ${(await response.text()).slice(0, 200)}`).toContain(
      response.status(),
    );
    expect(response.headers()['content-type'], name).toContain('application/problem+json');
  }
  expect(tried).toBeGreaterThan(120);
  for (const [resource, was] of before) expect(await look(resource), resource).toBe(was);
});

test('records that point across the wall are refused', async ({ request }) => {
  const listOf = async (r: APIRequestContext, path: string) => (await getJson<{ items: Known[] }>(r, path)).items;
  const send = (r: APIRequestContext, method: string, path: string, data: unknown) =>
    r.fetch(`/api/v1/productions/${OTHER}${path}`, {
      method,
      headers: { 'Idempotency-Key': randomUUID(), ...CLIENT },
      data,
    });
  const [setup, day, station, body, lens, location] = await Promise.all(
    ['/setups', '/days', '/stations', '/bodies', '/lenses', '/locations'].map(
      async (p) => (await listOf(request, p))[0].id,
    ),
  );
  const records: [string, object][] = [
    ['/stations', { setupId: setup, name: 'Stolen', eastM: 0, northM: 0, heightM: 1 }],
    [
      '/days',
      { locationId: location, number: 1, date: '2026-10-14', unit: 'Main', callLocal: '07:00', wrapLocal: '18:00' },
    ],
    [
      '/setups',
      {
        dayId: day,
        name: 'Stolen',
        slate: '1A',
        kind: 'exterior',
        lightCondition: 'sun',
        plannedCg: '',
        lightAt: null,
      },
    ],
    [
      '/rounds',
      {
        stationId: station,
        name: 'Stolen',
        lightCondition: 'sun',
        shotAt: '2026-10-14T15:00:00Z',
        rig: { projection: 'equidistant', fovDeg: 185, views: 6 },
      },
    ],
    ['/clocks', { dayId: day, camera: 'Q', offsetS: 1, source: 'entered' }],
    [
      '/rigs',
      {
        name: 'Stolen',
        serial: '',
        kind: 'bodyAndLens',
        bodyId: body,
        lensId: lens,
        statement: { projection: 'equidistant', fovDeg: 185, views: 6 },
      },
    ],
    ['/readings', { setupId: setup, kind: 'lux', shown: 100, takenAt: '2026-10-14T15:00:00Z' }],
  ];
  for (const [path, record] of records) {
    const response = await send(request, 'POST', path, { id: randomUUID(), ...record });
    expect([404, 422], `${path}: ${response.status()}`).toContain(response.status());
    expect((await (await request.get(`/api/v1/productions/${OTHER}${path}`)).json()).items).toEqual([]);
  }
  expect((await request.get(`${HERN}/setups/${setup}`)).ok()).toBe(true);
});
