import fs from 'node:fs';
import path from 'node:path';
import { expect, test } from '@playwright/test';
import sharp from 'sharp';
import { OPERATIONS, type Reference } from '@tawny/contract';
import { encodeJpeg } from '@tawny/formats';
import { bench, CLIENT, getJson, HERN, newRound, newTake, sendFiles } from '../support/api';
import { heldBy, multipart, sendRaw } from '../support/wire';

const store = process.env.TAWNY_E2E_FILES!;
const server = Number(process.env.TAWNY_E2E_SERVER);
const CUTS = 12;

const settled = async () => {
  // What was cut off is put away within moments.
  for (let tries = 0; tries < 50; tries++) {
    const held = heldBy(server, store);
    if (held.open.length + held.waiting.length === 0) return held;
    await new Promise((r) => setTimeout(r, 100));
  }
  return heldBy(server, store);
};
const nothing = { open: [], waiting: [] };

async function picture(seed: number): Promise<Buffer> {
  const codes = Uint8Array.from({ length: 64 * 48 * 3 }, (_, i) => (i * 7 + seed * 31) % 200);
  return encodeJpeg(codes, 64, 48);
}

test('every way in, broken in every way: the server lives, says what happened, and holds nothing', async ({
  request,
  baseURL,
}) => {
  const { setup } = await bench(request);
  const take = await newTake(request, setup.id);
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  const rig = (await getJson<{ items: { id: string }[] }>(request, '/rigs')).items[0].id;
  const ids: Record<string, string> = { takes: take.id, rounds: round.id, rigs: rig };
  const query = `?setupId=${setup.id}&kind=setPhoto`;
  const ways = OPERATIONS.filter(({ operation }) => operation.takes === 'files').map(({ name, operation }) => {
    const owner = operation.path.match(/\/([a-z]+)\/:id/)?.[1] ?? '';
    const at = operation.path.replace(':production', 'HERN').replace(':id', ids[owner] ?? '');
    return { name, path: `/api/v1${at}${name === 'references.upload' ? query : ''}` };
  });
  expect(ways.length).toBeGreaterThan(6);
  const { type, body } = multipart([
    { field: 'seen', name: 'one.jpg', bytes: await picture(1) },
    { field: 'covered', name: 'two.jpg', bytes: await picture(2) },
  ]);
  for (const { name, path: at } of ways) {
    const send = (sent: Buffer, end: 'close' | 'reset' | 'silence', length = body.length) =>
      sendRaw({ base: baseURL!, path: at, type, length, body: sent, end });
    // The closing line is missing although the request says that it is whole.
    const unclosed = body.subarray(0, body.lastIndexOf('\r\n--'));
    expect(await send(unclosed, 'silence', unclosed.length), name).toMatch(/^HTTP\/1.1 400 [^]*upload-broken/);
    const eighty = Buffer.from(body.subarray(0, 80));
    expect(await send(eighty, 'silence', eighty.length), name).toMatch(/^HTTP\/1.1 4\d\d /);
    await Promise.all(
      Array.from({ length: CUTS }, (_, k) => {
        const cut = body.subarray(0, Math.round((body.length * (k + 0.5)) / CUTS));
        return send(cut, k % 2 === 0 ? 'reset' : 'close');
      }),
    );
    expect((await request.get('/health')).ok(), name).toBe(true);
    expect(await settled(), name).toEqual(nothing);
  }
});

test('a sender that falls silent is cut off; one that is slow is heard to its end', async ({ request, baseURL }) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  const { type, body } = multipart([{ name: 'slow.jpg', bytes: await picture(3) }]);
  const sending = { base: baseURL!, path: `${HERN}/rounds/${round.id}/frames`, type, length: body.length } as const;
  const silentMs = Number(process.env.TAWNY_SILENT_MS);
  const started = Date.now();
  const cut = await sendRaw({ ...sending, body: body.subarray(0, 300), end: 'silence' }, silentMs + 8000);
  expect(Date.now() - started).toBeLessThan(silentMs + 7000);
  expect(cut).not.toMatch(/ 201 /);
  expect(await settled()).toEqual(nothing);
  // Takes twice as long as one may be silent.
  const pace = { bytes: Math.ceil(body.length / 20), ms: silentMs / 10 };
  const slow = await sendRaw({ ...sending, body, end: 'silence', pace }, silentMs + 5000);
  expect(slow).toMatch(/^HTTP\/1.1 201 /);
  expect(slow).toContain('slow.jpg');
});

test('a bad file among good ones is named, the good ones are kept; the same file again is the same record', async ({
  request,
}) => {
  const { setup } = await bench(request);
  const take = await newTake(request, setup.id);
  const good = await Promise.all(
    [4, 5].map(async (n) => ({ name: `good${n}.jpg`, mimeType: 'image/jpeg', buffer: await picture(n) })),
  );
  const bad = { name: 'bad.jpg', mimeType: 'image/jpeg', buffer: good[0].buffer.subarray(0, 700) };
  for (const at of [`/references?setupId=${setup.id}&kind=setPhoto`, `/takes/${take.id}/plates`]) {
    const first = await sendFiles(request, at, [good[0], bad, good[1]]);
    expect(first.status, at).toBe(201);
    expect(first.body.items.map((i: { name: string }) => i.name).sort()).toEqual(['good4.jpg', 'good5.jpg']);
    expect(first.body.problems).toEqual([expect.objectContaining({ file: 'bad.jpg', code: 'damaged-image' })]);
    const again = await Promise.all([sendFiles(request, at, [good[0]]), sendFiles(request, at, [good[0]])]);
    const known = first.body.items.find((i: { name: string }) => i.name === 'good4.jpg').id;
    for (const { body } of again) expect(body.items.map((i: { id: string }) => i.id)).toEqual([known]);
    const none = await sendFiles(request, at, [bad]);
    expect(none.status).toBe(422);
    expect(none.body.errors).toEqual([expect.objectContaining({ file: 'bad.jpg' })]);
  }
  expect(await settled()).toEqual(nothing);
});

test('what decodes has no rights, whoever started the server', async ({ request }) => {
  const { setup } = await bench(request);
  await sendFiles(request, `/references?setupId=${setup.id}&kind=setPhoto`, [
    { name: 'rights.jpg', mimeType: 'image/jpeg', buffer: await picture(8) },
  ]);
  const decoders = fs
    .readdirSync('/proc')
    .filter((pid) => /^\d+$/.test(pid))
    .filter((pid) => {
      const read = (name: string) => {
        try {
          return fs.readFileSync(`/proc/${pid}/${name}`, 'utf8');
        } catch {
          return '';
        }
      };
      return read('cmdline').includes('decodeProcess') && read('stat').split(' ')[3] === String(server);
    });
  expect(decoders.length).toBeGreaterThan(0);
  for (const pid of decoders) {
    const status = fs.readFileSync(`/proc/${pid}/status`, 'utf8');
    expect(status).not.toMatch(/^Uid:\s+0\s/m);
    expect(status).toMatch(/^CapEff:\s+0+$/m);
    expect(fs.readFileSync(`/proc/${pid}/environ`, 'latin1')).not.toContain('TAWNY_DATABASE_URL');
  }
});

test('a stored file that is gone is named, and readers who leave hold nothing', async ({ request, baseURL }) => {
  const { setup } = await bench(request);
  const sent = await sendFiles(request, `/references?setupId=${setup.id}&kind=setPhoto`, [
    { name: 'gone.jpg', mimeType: 'image/jpeg', buffer: await picture(6) },
  ]);
  const reference = sent.body.items[0] as Reference;
  const preview = `${HERN}/references/${reference.id}/preview.jpg`;
  expect((await request.get(preview)).status()).toBe(200);
  await Promise.all(
    Array.from({ length: 100 }, async () => {
      const leaving = new AbortController();
      const asked = fetch(`${baseURL}${preview}`, { signal: leaving.signal }).catch(() => undefined);
      await new Promise((r) => setTimeout(r, Math.random() * 20));
      leaving.abort();
      await asked;
    }),
  );
  expect(await settled()).toEqual(nothing);
  const newest = fs
    .readdirSync(store, { recursive: true, withFileTypes: true })
    .filter((e) => e.isFile() && /^[0-9a-f]{64}$/.test(e.name))
    .map((e) => path.join(e.parentPath, e.name))
    .filter((file) => Date.now() - fs.statSync(file).mtimeMs < 60_000);
  const bytes = await (await request.get(preview)).body();
  const file = newest.find((f) => fs.readFileSync(f).equals(bytes))!;
  fs.renameSync(file, `${file}.away`);
  try {
    const answer = await request.get(preview);
    expect(answer.status()).toBe(404);
    expect(answer.headers()['content-type']).toMatch(/problem\+json/);
    expect(await answer.json()).toMatchObject({
      code: 'file-missing',
      detail: expect.stringContaining(path.basename(file).slice(0, 12)),
    });
  } finally {
    fs.renameSync(`${file}.away`, file);
  }
  expect((await request.get(preview)).status()).toBe(200);
});

test('a page of another site gets nothing, under whatever name and with whatever body', async ({
  request,
  baseURL,
}) => {
  const { host } = new URL(baseURL!);
  const { setup } = await bench(request);
  const at = `${HERN}/references?setupId=${setup.id}&kind=setPhoto`;
  const { type, body } = multipart([{ name: 'theirs.jpg', bytes: await picture(7) }]);
  const said = async (method: string, url: string, headers: Record<string, string>, data?: Buffer) =>
    (await request.fetch(url, { method, headers, ...(data ? { data } : {}) })).status();
  // As a page elsewhere can ask without being asked back: no header of ours, any simple body.
  for (const simple of [type, 'text/plain', 'application/x-www-form-urlencoded'])
    expect(await said('POST', at, { Origin: 'http://elsewhere.test', 'Content-Type': simple }, body)).toBe(403);
  expect(await said('POST', at, { 'Content-Type': type }, body)).toBe(403);
  expect(await said('DELETE', `${HERN}/setups/${setup.id}?version=1`, {})).toBe(403);
  expect(await said('POST', at, { ...CLIENT, Origin: 'null', 'Content-Type': type }, body)).toBe(403);
  for (const url of [`${HERN}/setups`, '/health', '/'])
    for (const headers of [
      { Host: 'rebound.test' },
      { Origin: 'http://elsewhere.test' },
      { 'Sec-Fetch-Site': 'cross-site', 'Sec-Fetch-Mode': 'no-cors' },
    ] as Record<string, string>[])
      expect(await said('GET', url, headers), `${url} ${JSON.stringify(headers)}`).toBe(403);
  // One's own page, and a link to it from elsewhere.
  expect(await said('GET', `${HERN}/setups`, { Origin: `http://${host}`, 'Sec-Fetch-Site': 'same-origin' })).toBe(200);
  expect(await said('GET', '/HERN/day', { 'Sec-Fetch-Site': 'cross-site', 'Sec-Fetch-Mode': 'navigate' })).toBe(200);
  expect((await getJson<{ items: unknown[] }>(request, `/references?setupId=${setup.id}`)).items).toEqual([]);
});

test('who has sent everything is not silent: decoding may take longer than a sender may', async ({ request }) => {
  const { setup } = await bench(request);
  const silentMs = Number(process.env.TAWNY_SILENT_MS);
  // Small as files, large when decoded; two are decoded at a time.
  const flat = await Promise.all(
    Array.from({ length: 4 }, (_, k) =>
      sharp({ create: { width: 9000, height: 7000, channels: 3, background: { r: 90 + k, g: 80, b: 70 } } })
        .png()
        .toBuffer(),
    ),
  );
  const took = await Promise.all(
    flat.map(async (buffer, k) => {
      const started = Date.now();
      const at = `/references?setupId=${setup.id}&kind=setPhoto`;
      const sent = await sendFiles(request, at, [{ name: `flat${k}.png`, mimeType: 'image/png', buffer }]);
      expect(sent.status, JSON.stringify(sent.body).slice(0, 300)).toBe(201);
      return Date.now() - started;
    }),
  );
  // Or nothing was tried.
  expect(Math.max(...took)).toBeGreaterThan(silentMs);
  expect(await settled()).toEqual(nothing);
});
