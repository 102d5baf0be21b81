import { randomUUID } from 'node:crypto';
import { expect, test, type APIRequestContext } from '@playwright/test';
import { CLIENT } from '../support/api';
import { ownProduction } from '../support/production';

interface Versioned {
  id: string;
  version: number;
}

/** Talks to one production. */
function desk(request: APIRequestContext, code: string) {
  const base = `/api/v1/productions/${code}`;
  const send = async (method: string, at: string, data?: unknown) => {
    const headers = { 'Idempotency-Key': randomUUID(), ...CLIENT };
    const response = await request.fetch(base + at, { method, headers, ...(data ? { data } : {}) });
    return { status: response.status(), body: (await response.json()) as { detail: string; code: string } & Versioned };
  };
  return {
    send,
    list: async (at: string) => ((await (await request.get(base + at)).json()) as { items: Versioned[] }).items,
    remove: ({ id, version }: Versioned, resource: string) => send('DELETE', `/${resource}/${id}?version=${version}`),
    gaps: async () => (await request.get(`${base}/gaps`)).status(),
  };
}

test('what something hangs on stays until that is gone, and says what it is', async ({ request }) => {
  const { code } = await ownProduction(request);
  const { list, remove, send, gaps } = desk(request, code);
  const one = async (resource: string) => (await list(`/${resource}`))[0];
  for (const [resource, held] of [
    ['locations', /1 shoot day/],
    ['days', /1 setup/],
    ['setups', /1 take, 1 station/],
    ['stations', /1 round/],
    ['bodies', /1 take/],
    ['lenses', /1 take/],
  ] as const) {
    const { status, body } = await remove(await one(resource), resource);
    expect([status, body.code], resource).toEqual([409, 'in-use']);
    expect(body.detail).toMatch(held);
    expect(await gaps(), resource).toBe(200);
  }
  // From the leaves to the root, everything goes; and comes back from the root to the leaves alone.
  const order = ['takes', 'rounds', 'stations', 'setups', 'days', 'locations'];
  const gone: [string, string][] = [];
  for (const resource of order) {
    const record = await one(resource);
    expect((await remove(record, resource)).status, resource).toBe(200);
    gone.push([resource, record.id]);
    expect(await gaps(), `without ${resource}`).toBe(200);
  }
  const back = ([resource, id]: [string, string]) => send('POST', `/${resource}/${id}/restore`, {});
  for (const [resource, id] of gone.filter(([r]) => r !== 'locations')) {
    const early = await back([resource, id]);
    expect([early.status, early.body.code], resource).toEqual([409, 'removed']);
  }
  for (const item of gone.reverse()) expect((await back(item)).status, item[0]).toBe(200);
  expect(await gaps()).toBe(200);
});

test('nothing is made, or moved, under what was removed', async ({ request }) => {
  const { code } = await ownProduction(request);
  const { list, remove, send } = desk(request, code);
  const [day] = await list('/days');
  const [setup] = await list('/setups');
  const other = { ...day, id: randomUUID(), number: 2, version: undefined, createdAt: undefined, updatedAt: undefined };
  expect((await send('POST', '/days', other)).status).toBe(201);
  const empty = (await list('/days')).find((d) => d.id === other.id)!;
  expect((await remove(empty, 'days')).status).toBe(200);
  const moved = await send('PATCH', `/setups/${setup.id}`, { version: setup.version, dayId: empty.id });
  expect([moved.status, moved.body.code]).toEqual([409, 'removed']);
  expect(moved.body.detail).toMatch(/shoot day/);
  const fresh = {
    ...setup,
    id: randomUUID(),
    dayId: empty.id,
    version: undefined,
    createdAt: undefined,
    updatedAt: undefined,
  };
  expect((await send('POST', '/setups', fresh)).status).toBe(409);
});

test('who removes a day and who makes a setup in it, at the same moment: one of them hears of the other', async ({
  request,
}) => {
  const { code } = await ownProduction(request);
  const { list, remove, send, gaps } = desk(request, code);
  const [day] = await list('/days');
  const [setup] = await list('/setups');
  const bare = { version: undefined, createdAt: undefined, updatedAt: undefined };
  let [removed, made] = [0, 0];
  for (let k = 0; k < 20; k++) {
    const id = randomUUID();
    const own = await send('POST', '/days', { ...day, ...bare, id, number: 10 + k });
    const [first, second] = await Promise.all([
      remove(own.body, 'days'),
      send('POST', '/setups', { ...setup, ...bare, id: randomUUID(), dayId: id, slate: `${k}` }),
    ]);
    // Never both, never neither.
    expect(
      [first.status === 200, second.status === 201].filter(Boolean),
      `${first.status} ${second.status}`,
    ).toHaveLength(1);
    if (first.status === 200) removed++;
    else made++;
  }
  expect(removed + made).toBe(20);
  expect(await gaps()).toBe(200);
});
