import { call } from '../../data/api';

const uuid = '6f1c9c1e-0000-4000-8000-000000000001';
const HERN = { production: 'HERN' };
const panorama = { params: { ...HERN, id: uuid } };
/** Connections that break before one answers. */
const line = (breaks: number) => {
  const sent: RequestInit[] = [];
  global.fetch = jest.fn((_: string, init: RequestInit) => {
    sent.push(init);
    return sent.length <= breaks
      ? Promise.reject(new TypeError('Failed to fetch'))
      : Promise.resolve({ status: 409, text: () => Promise.resolve('{"code":"x"}') });
  }) as never;
  return sent;
};
const said = async (write: () => Promise<unknown>) => {
  const asked = write().catch((error: Error) => error.message);
  await jest.advanceTimersByTimeAsync(5000);
  return asked;
};
const keyOf = (init: RequestInit) => (init.headers as Record<string, string>)['Idempotency-Key'];

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

test('a write whose answer does not come is sent again under its key, and no more than twice', async () => {
  const write = () => call('readings.remove', { ...panorama, query: { version: 1 } });
  const once = line(1);
  expect(await said(write)).toMatch(/answered 409/);
  expect(once).toHaveLength(2);
  expect(keyOf(once[0])).toMatch(/^[0-9a-f-]{36}$/);
  expect(keyOf(once[1])).toBe(keyOf(once[0]));
  const gone = line(9);
  expect(await said(write)).toMatch(/cannot be reached/);
  expect(gone).toHaveLength(3);
  expect(keyOf(gone[0])).not.toBe(keyOf(once[0]));
});

test('a question is asked once here: who asks it knows when to ask again', async () => {
  const sent = line(9);
  expect(await said(() => call('panoramas.get', panorama))).toMatch(/cannot be reached/);
  expect(sent).toHaveLength(1);
});

test('what the server refuses is not sent again', async () => {
  const sent = line(0);
  expect(await said(() => call('readings.remove', { ...panorama, query: { version: 1 } }))).toMatch(/409/);
  expect(sent).toHaveLength(1);
});
