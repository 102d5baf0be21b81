import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { closeThreads, DEMO_PLACE, type SetSpec } from '@tawny/pipeline';
import { renderSet } from '../src/simulate/renderSet';

const spec: SetSpec = { scene: 'quay', seed: 7, place: DEMO_PLACE, utc: '2026-10-14T15:50:00Z', turbidity: 4 };
const origin = (k: number) => ({ eastM: 0.1 * k, northM: 0, upM: 1.6 });
const size = { width: 16, height: 8 };
let folder: string;

beforeEach(() => {
  folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-cache-'));
  process.env.TAWNY_CACHE = folder;
  // Room for eight of the pictures below.
  process.env.TAWNY_CACHE_MIB = String((8 * 16 * 8 * 3 * 4) / 2 ** 20);
});
afterEach(() => {
  delete process.env.TAWNY_CACHE;
  delete process.env.TAWNY_CACHE_MIB;
  fs.rmSync(folder, { recursive: true });
});
afterAll(closeThreads);

test('many workers fill and trim one cache: every one gets its picture, as many are kept as there is room for', async () => {
  // Thirty pictures at once, each twice: every end trims what others are looking at and writing.
  const asked = Array.from({ length: 60 }, (_, k) => Math.floor(k / 2));
  const seen = await Promise.all(asked.map((k) => renderSet(spec, origin(k), size)));
  for (let k = 0; k < seen.length; k += 2) expect(seen[k].data).toEqual(seen[k + 1].data);
  expect(seen[0].data).not.toEqual(seen[58].data);
  // The next one trims in peace.
  await renderSet(spec, origin(99), size);
  const names = fs.readdirSync(folder);
  expect(names).toHaveLength(8);
  expect(names.every((n) => n.endsWith('.f32'))).toBe(true);
});

test('what is used again is kept before what is only newer', async () => {
  for (let k = 0; k < 8; k++) await renderSet(spec, origin(k), size);
  const oldest = fs.readdirSync(folder).map((name) => ({ name, at: fs.statSync(path.join(folder, name)).mtimeMs })).sort((a, b) => a.at - b.at)[0].name; // prettier-ignore
  await renderSet(spec, origin(0), size);
  await renderSet(spec, origin(8), size);
  expect(fs.readdirSync(folder)).toContain(oldest);
  expect(fs.readdirSync(folder)).toHaveLength(8);
});

test('what a killed worker left half written goes after an hour; what is being written stays', async () => {
  const [old, young] = ['old.part', 'young.part'].map((n) => path.join(folder, n));
  for (const f of [old, young]) fs.writeFileSync(f, 'half');
  const before = new Date(Date.now() - 2 * 3600_000);
  fs.utimesSync(old, before, before);
  await renderSet(spec, origin(0), size);
  expect(fs.existsSync(old)).toBe(false);
  expect(fs.existsSync(young)).toBe(true);
});
