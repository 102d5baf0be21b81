import { ApiError, addressOf, answerOf, API_BASE, CLIENT_HEADER, createClient, operationAt, OPERATIONS, requestOf } from '../src'; // prettier-ignore

const id = (n: number) => `6f1c9c1e-0000-4000-8000-${String(n).padStart(12, '0')}`;
const HERN = { production: 'HERN' };
const newKey = () => 'made-here';

describe('what is asked of the server', () => {
  test('an address has its parameters in place and its filters behind, escaped, and nothing of what was left out', () => {
    expect(addressOf('takes.list', { params: HERN, query: { setupId: id(1) } })).toBe(
      `${API_BASE}/productions/HERN/takes?setupId=${id(1)}`,
    );
    const odd = addressOf('takes.get', { params: { production: 'A/B ü', id: id(2) } });
    expect(odd).toBe(`${API_BASE}/productions/A%2FB%20%C3%BC/takes/${id(2)}`);
    expect(addressOf('takes.list', { params: HERN, query: { setupId: undefined } })).not.toContain('?');
  });
  test('reading says nothing more; a write says who sends it, in JSON, with a key of its own or the one that it had', () => {
    const read = requestOf('takes.get', { params: { ...HERN, id: id(2) } }, newKey);
    expect(read).toEqual({ method: 'GET', url: expect.stringContaining(id(2)), headers: {}, body: undefined });
    const body = { id: id(3), kind: 'lux', shown: 900, setupId: id(1), takenAt: '2026-10-14T15:40:00Z' } as const;
    const write = requestOf('readings.create', { params: HERN, body }, newKey);
    expect(write.method).toBe('POST');
    expect(write.headers).toMatchObject({
      [CLIENT_HEADER]: 'tawny',
      'Content-Type': 'application/json',
      'Idempotency-Key': 'made-here',
    });
    expect(JSON.parse(write.body!)).toEqual(body);
    const again = requestOf('readings.create', { params: HERN, body, key: 'as before' }, newKey);
    expect(again.headers['Idempotency-Key']).toBe('as before');
  });
  test('every operation of the table is found again by its method and an address that it makes', () => {
    const lost = OPERATIONS.filter(({ name, operation }) => {
      const path = operation.path.replace(/:([a-zA-Z]+)/g, (_, key: string) => (key === 'production' ? 'HERN' : id(9)));
      return operationAt(operation.method, `${API_BASE}${path}?limit=5`) !== name;
    });
    expect(lost.map((o) => o.name)).toEqual([]);
    expect(OPERATIONS.length).toBeGreaterThan(100);
  });
  test('a word in an address is meant before an id; what is in no table is no operation', () => {
    expect(operationAt('POST', `${API_BASE}/productions/HERN/takes/import`)).toBe('takes.import');
    expect(operationAt('DELETE', `${API_BASE}/productions/HERN/takes/import/on`)).toBeNull();
    expect(operationAt('GET', `${API_BASE}/nothing`)).toBeNull();
  });
});

describe('what the server answers', () => {
  const fails = (act: () => unknown): ApiError => {
    try {
      act();
    } catch (error) {
      if (error instanceof ApiError) return error;
      throw error;
    }
    throw new Error('was taken');
  };
  const problem = {
    type: 'urn:tawny:problem:invalid',
    title: 'Not valid',
    status: 422,
    code: 'invalid',
    detail: 'The take is not right',
    errors: [{ field: 'tStop', message: 'T1 is wider than it goes' }],
  };
  test('a problem document comes as an error that knows the field', () => {
    const error = fails(() => answerOf('takes.get', 422, JSON.stringify(problem)));
    expect(error.message).toBe('The take is not right');
    expect(error.field('tStop')).toBe('T1 is wider than it goes');
    expect(error.field('ei')).toBeUndefined();
    expect(error.problem.status).toBe(422);
  });
  test.each(['', '<html>502</html>', '{"some": "words"}'])('a refusal without words (%j) says its number', (text) => {
    const error = fails(() => answerOf('takes.get', 502, text));
    expect(error.problem).toMatchObject({ code: 'no-answer', status: 502 });
    expect(error.message).toMatch(/answered 502 without saying why/);
  });
  test('an answer that is not what was agreed is refused with the place where it differs', () => {
    const error = fails(() => answerOf('takes.list', 200, JSON.stringify({ items: [{ id: 'x' }], next: null })));
    expect(error.problem.code).toBe('not-understood');
    expect(error.message).toMatch(/takes\.list .*items\.0\./);
    expect(fails(() => answerOf('takes.list', 200, 'no JSON')).problem.code).toBe('not-understood');
  });
  test('a client carries the request of an operation and reads its answer', async () => {
    const sent: string[] = [];
    const client = createClient(async (request) => {
      sent.push(`${request.method} ${request.url}`);
      return { status: 200, text: JSON.stringify({ items: [], next: null }) };
    }, newKey);
    expect((await client('bodies.list', { params: HERN })).items).toEqual([]);
    expect(sent).toEqual([`GET ${API_BASE}/productions/HERN/bodies`]);
    const refused = createClient(async () => ({ status: 422, text: JSON.stringify(problem) }), newKey);
    await expect(refused('bodies.list', { params: HERN })).rejects.toBeInstanceOf(ApiError);
  });
});
