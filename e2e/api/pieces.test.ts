import { createHash } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { expect, test, type APIRequestContext } from '@playwright/test';
import { ARRIVED_PART, type UploadResult } from '@tawny/contract';
import { encodeJpeg } from '@tawny/formats';
import { CLIENT, HERN, newRound } from '../support/api';
import { heldBy, sendRaw } from '../support/wire';

const store = process.env.TAWNY_E2E_FILES!;
const server = Number(process.env.TAWNY_E2E_SERVER);
const TUS = { 'Tus-Resumable': '1.0.0', ...CLIENT };
const PIECE = { ...TUS, 'Content-Type': 'application/offset+octet-stream' };

/** A photograph whose bytes tell one place from another: noise does not compress. */
async function photograph(seed: number): Promise<Buffer> {
  let state = seed;
  const codes = Uint8Array.from({ length: 900 * 600 * 3 }, () => {
    state = (state * 1103515245 + 12345) & 0x7fffffff;
    return (state >> 16) & 0xff;
  });
  return encodeJpeg(codes, 900, 600);
}

async function begin(request: APIRequestContext, length: number): Promise<string> {
  const begun = await request.post(`${HERN}/arriving`, { headers: { ...TUS, 'Upload-Length': String(length) } });
  expect(begun.status()).toBe(201);
  const at = begun.headers().location;
  expect(at).toMatch(/^\/api\/v1\/productions\/HERN\/arriving\/[0-9a-f]{32}$/);
  return at;
}

async function offsetOf(request: APIRequestContext, at: string): Promise<number> {
  const head = await request.head(at, { headers: TUS });
  expect(head.status()).toBe(200);
  return Number(head.headers()['upload-offset']);
}

const named = (at: string, name: string) => ({
  multipart: { [ARRIVED_PART]: JSON.stringify({ field: 'frames', name, id: at.split('/').pop() }) },
  headers: CLIENT,
});

test('a file that breaks off twice goes on from its last byte, and becomes a frame when it is whole', async ({
  request,
  baseURL,
}) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  const bytes = await photograph(11);
  const at = await begin(request, bytes.length);
  const frames = `${HERN}/rounds/${round.id}/frames`;
  for (const share of [0.3, 0.5]) {
    const from = await offsetOf(request, at);
    const rest = bytes.subarray(from);
    await sendRaw({
      base: baseURL!,
      method: 'PATCH',
      path: at,
      type: PIECE['Content-Type'],
      length: rest.length,
      body: rest.subarray(0, Math.round(rest.length * share)),
      end: 'reset',
      pace: { bytes: 50_000, ms: 5 },
      headers: { ...TUS, 'Upload-Offset': String(from) },
    });
    await expect.poll(() => offsetOf(request, at)).toBeGreaterThan(from);
    const early = await request.post(frames, named(at, 'early.jpg'));
    expect(early.status()).toBe(422);
    expect((await early.json()).code).toBe('not-arrived');
  }
  const from = await offsetOf(request, at);
  expect(from).toBeLessThan(bytes.length);
  const wrong = await request.patch(at, { headers: { ...PIECE, 'Upload-Offset': '0' }, data: bytes });
  expect(wrong.status()).toBe(409);
  const last = await request.patch(at, {
    headers: { ...PIECE, 'Upload-Offset': String(from) },
    data: bytes.subarray(from),
  });
  expect(last.status()).toBe(204);
  const taken = await request.post(frames, named(at, 'late.jpg'));
  expect(taken.status()).toBe(201);
  const { accepted } = (await taken.json()) as UploadResult;
  const hash = createHash('sha256').update(bytes).digest('hex');
  expect(accepted).toEqual([expect.objectContaining({ name: 'late.jpg', hash })]);
  expect((await request.head(at, { headers: TUS })).status()).toBe(404);
  expect(fs.readdirSync(path.join(store, 'arriving')).filter((n) => at.includes(n.slice(0, 32)))).toEqual([]);
  await expect.poll(() => heldBy(server, store)).toEqual({ open: [], waiting: [] });
});

test('pieces belong to their production, and nothing but a whole file of one is used', async ({ request }) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  const frames = `${HERN}/rounds/${round.id}/frames`;
  const at = await begin(request, 10);
  const id = at.split('/').pop()!;
  expect((await request.head(`/api/v1/productions/NONE/arriving/${id}`, { headers: TUS })).status()).toBe(404);
  for (const odd of ['..%2f..%2fetc%2fpasswd', `${id}.json`, 'x', '%00', '0'.repeat(32)])
    expect((await request.head(`${HERN}/arriving/${odd}`, { headers: TUS })).status(), odd).toBe(404);
  const most = await request.post(`${HERN}/arriving`, { headers: { ...TUS, 'Upload-Length': String(2 ** 40) } });
  expect(most.status()).toBe(413);
  for (const said of ['nonsense', '{}', JSON.stringify({ field: 'frames', name: 'a.jpg', id: '../../a' })]) {
    const refused = await request.post(frames, { multipart: { [ARRIVED_PART]: said }, headers: CLIENT });
    expect(refused.status(), said).toBe(422);
  }
  const unsaid = await request.post(`${HERN}/arriving`, {
    headers: { 'Tus-Resumable': '1.0.0', 'Upload-Length': '10' },
  });
  expect(unsaid.status()).toBe(403);
  expect((await request.delete(at, { headers: TUS })).status()).toBe(204);
  expect((await request.head(at, { headers: TUS })).status()).toBe(404);
});

test('a piece that falls silent is cut off, and what came of it stays', async ({ request, baseURL }) => {
  const bytes = await photograph(12);
  const at = await begin(request, bytes.length);
  const began = Date.now();
  await sendRaw({
    base: baseURL!,
    method: 'PATCH',
    path: at,
    type: PIECE['Content-Type'],
    length: bytes.length,
    body: bytes.subarray(0, 200_000),
    end: 'silence',
    headers: { ...TUS, 'Upload-Offset': '0' },
  });
  expect(Date.now() - began).toBeLessThan(Number(process.env.TAWNY_SILENT_MS) + 3000);
  await expect.poll(() => offsetOf(request, at)).toBe(200_000);
  await expect.poll(() => heldBy(server, store).open).toEqual([]);
});
