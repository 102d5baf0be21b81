import { keepRecord } from '../../data/keepRecord';

const station = {
  id: '6f1c9c1e-0000-4000-8000-000000000001',
  setupId: '6f1c9c1e-0000-4000-8000-000000000002',
  name: 'Station 1',
  eastM: 0,
  northM: 0,
  heightM: 1.6,
};
const stored = { ...station, createdAt: '2026-10-14T09:00:00.000Z', updatedAt: '2026-10-14T09:00:00.000Z' };

interface Sent {
  method: string;
  url: string;
  key: string | undefined;
  body: Record<string, unknown> | undefined;
}
/** A server that knows a station of before, kept under its id, when there is one. */
const server = (heightM: number | null, version = 1) => {
  const sent: Sent[] = [];
  const known = { ...stored, heightM, version };
  global.fetch = jest.fn((url: string, init: RequestInit) => {
    const body = init.body ? (JSON.parse(String(init.body)) as Record<string, unknown>) : undefined;
    sent.push({
      method: init.method!,
      url,
      key: (init.headers as Record<string, string>)['Idempotency-Key'],
      body,
    });
    const answer = (status: number, value: object) =>
      Promise.resolve({ status, text: () => Promise.resolve(JSON.stringify(value)) });
    const problem = (status: number, code: string) =>
      answer(status, { type: 'about:blank', title: '', status, code, detail: code });
    if (init.method === 'PATCH' && body?.version !== version) return problem(409, 'conflict');
    if (init.method === 'PATCH') return answer(200, { ...known, ...body, version: Number(body?.version) + 1 });
    if (heightM === null) return answer(201, { ...stored, ...body, version: 1 });
    return problem(422, 'idempotency-key-reused');
  }) as never;
  return sent;
};

test('a new record is made under its own id as its key', async () => {
  const sent = server(null);
  expect(await keepRecord('stations', 'HERN', station)).toMatchObject({ ...station, version: 1 });
  expect(sent).toHaveLength(1);
  expect(sent[0]).toMatchObject({ method: 'POST', key: station.id });
});

test('what arrived before without an answer is changed to what is said now', async () => {
  const sent = server(1.6);
  const kept = await keepRecord('stations', 'HERN', { ...station, heightM: 1.72 });
  expect(kept).toMatchObject({ id: station.id, heightM: 1.72, version: 2 });
  expect(sent.map((s) => s.method)).toEqual(['POST', 'PATCH']);
  expect(sent[1].body).toMatchObject({ heightM: 1.72, version: 1 });
  expect(sent[1].key).not.toBe(station.id);
});

test('what arrived before, and somebody else has changed since, is not overwritten', async () => {
  const sent = server(1.55, 2);
  await expect(keepRecord('stations', 'HERN', station)).rejects.toMatchObject({ problem: { code: 'conflict' } });
  expect(sent.map((s) => s.method)).toEqual(['POST', 'PATCH']);
});

test('a record that has a version is changed from it, by what is stated alone', async () => {
  const sent = server(1.6, 3);
  await keepRecord('stations', 'HERN', { ...station, version: 3 }, { heightM: 1.4 });
  expect(sent).toEqual([expect.objectContaining({ method: 'PATCH', body: { heightM: 1.4, version: 3 } })]);
});
