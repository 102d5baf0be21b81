import { randomUUID } from 'node:crypto';
import { expect, test, type APIRequestContext } from '@playwright/test';
import { Client } from 'pg';
import { HERN, getJson } from '../support/api';

/** Another production on the same server. Its own code reaches nothing of the first one's, whatever ids it knows. */
const OTHER = '/api/v1/productions/PLOVER';

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

const KINDS = [
  'locations',
  'days',
  'setups',
  'clocks',
  'bodies',
  'lenses',
  'rigs',
  'filters',
  'instruments',
  'objects',
  'takes',
  'readings',
  'lamps',
  'eyelines',
  'marks',
  'measures',
  'stations',
  'rounds',
  'references',
  'panoramas',
  'handoffs',
];

interface Known {
  id: string;
  version?: number;
}

const listOf = async (request: APIRequestContext, path: string) =>
  (await getJson<{ items: Known[] }>(request, path)).items;
const send = (request: APIRequestContext, method: string, path: string, data?: unknown) =>
  request.fetch(`${OTHER}${path}`, {
    method,
    headers: { 'Idempotency-Key': randomUUID() },
    ...(data === undefined ? {} : { data }),
  });

for (const kind of KINDS) {
  test(`${kind}: another production sees none, and knows none by its id`, async ({ request }) => {
    expect((await (await request.get(`${OTHER}/${kind}`)).json()).items).toEqual([]);
    const [known] = await listOf(request, `/${kind}`);
    // What the demo and the tests before this have none of is asked for by an id that could be.
    const id = known?.id ?? randomUUID();
    const version = known?.version ?? 1;
    const before = known && JSON.stringify(await getJson(request, `/${kind}/${id}`).catch(() => null));
    const plain = !['panoramas', 'handoffs'].includes(kind);
    const tries: [string, string, unknown?][] = [
      ...(kind === 'handoffs' ? [] : [['GET', `/${kind}/${id}`] as [string, string]]),
      ...(plain
        ? ([
            ['PATCH', `/${kind}/${id}`, { version }],
            ['DELETE', `/${kind}/${id}?version=${version}`],
            ['POST', `/${kind}/${id}/restore`, {}],
          ] as [string, string, unknown?][])
        : []),
    ];
    for (const [method, path, data] of tries) {
      const response = await send(request, method, path, data);
      expect(response.status(), `${method} ${path}`).toBe(404);
      expect(response.headers()['content-type']).toContain('application/problem+json');
    }
    if (known) expect(JSON.stringify(await getJson(request, `/${kind}/${id}`).catch(() => null))).toBe(before);
  });
}

test('what can be done with a round, a take, a panorama, a job: not from elsewhere', async ({ request }) => {
  const first = async (path: string) => (await listOf(request, path))[0]?.id ?? randomUUID();
  const [round, take, panorama, reference, setup, day, rig] = await Promise.all(
    ['/rounds', '/takes', '/panoramas', '/references', '/setups', '/days', '/rigs'].map(first),
  );
  const plate = (await listOf(request, `/plates?takeId=${take}`))[0]?.id ?? randomUUID();
  const job = (await listOf(request, `/jobs?subjectId=${round}`))[0]?.id ?? randomUUID();
  const gets = [
    `/rounds/${round}/frames`,
    `/rounds/${round}/grouping`,
    `/panoramas/${panorama}/float`,
    `/panoramas/${panorama}/preview.jpg`,
    `/panoramas/${panorama}/panorama.exr`,
    `/panoramas/${panorama}/measure.png`,
    `/panoramas/${panorama}/tiles/0/0`,
    `/panoramas/${panorama}/difference?against=${panorama}`,
    `/panoramas/${panorama}/calibration`,
    `/plates/${plate}/preview.jpg`,
    `/references/${reference}/preview.jpg`,
    `/days/${day}/takes.csv`,
    `/days/${day}/takes.json`,
    `/days/${day}/report.pdf`,
    `/jobs/${job}`,
    `/handoffs/${randomUUID()}/download`,
  ];
  for (const path of gets) expect((await request.get(`${OTHER}${path}`)).status(), path).toBe(404);
  const hash = '0'.repeat(64);
  const posts: [string, unknown][] = [
    [`/rounds/${round}/frames/known`, { hashes: [hash] }],
    [`/rounds/${round}/simulate`, { views: 6, frames: 3, stepEv: 2, widthPx: 256 }],
    [`/rounds/${round}/build`, { widthPx: 256 }],
    [`/panoramas/${panorama}/north`, {}],
    [
      `/panoramas/${panorama}/card`,
      {
        plateId: plate,
        plateRect: { left: 0.1, top: 0.1, right: 0.2, bottom: 0.2 },
        panoramaRect: { left: 0.1, top: 0.1, right: 0.2, bottom: 0.2 },
      },
    ],
    [`/takes/${take}/plates/simulate`, {}],
    ['/references/simulate', { kind: 'greyCard', takeId: take }],
    [`/references/${reference}/compare`, {}],
    [`/jobs/${job}/cancel`, {}],
    ['/handoffs', { id: randomUUID(), setupId: setup, panoramaId: panorama, takeId: take }],
  ];
  for (const [path, data] of posts) {
    const status = (await send(request, 'POST', path, data)).status();
    // Not found, or refused as a reference to what is not there: never done.
    expect([404, 422], `${path}: ${status}`).toContain(status);
  }
  const uploads = [
    `/rounds/${round}/frames`,
    `/rounds/${round}/panoramas`,
    `/rounds/${round}/test-frame`,
    `/takes/${take}/plates`,
    `/takes/${take}/clips`,
    `/references?setupId=${setup}&kind=setPhoto&lightCondition=x`,
    `/rigs/${rig}/glare`,
  ];
  for (const path of uploads) {
    const form = new FormData();
    form.append('frames', new Blob(['x']), 'x.jpg');
    expect((await request.post(`${OTHER}${path}`, { multipart: form })).status(), path).toBe(404);
  }
});

test('records that point across the wall are refused', async ({ request }) => {
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
    expect((await (await request.get(`${OTHER}${path}`)).json()).items).toEqual([]);
  }
  expect((await request.get(`${HERN}/setups/${setup}`)).ok()).toBe(true);
});
