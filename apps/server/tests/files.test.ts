import { createHash } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { Readable } from 'node:stream';
import { encodePng } from '@tawny/formats';
import { FolderStore } from '../src/files/store';
import { zipFiles } from '../src/handoffs/zip';
import { comparePictures } from '../src/decode/compare';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-files-'));
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));
const sha = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');
let stores = 0;
const newStore = () => {
  const at = path.join(folder, `store-${stores++}`);
  fs.mkdirSync(at);
  return { store: new FolderStore(at), at };
};
/** Every file under the store but its folders. */
const listed = (at: string): string[] =>
  fs
    .readdirSync(at, { recursive: true, withFileTypes: true })
    .filter((e) => e.isFile())
    .map((e) => e.name);

describe('the file store', () => {
  test('bytes come back under their hash; the same twice is one file', async () => {
    const { store, at } = newStore();
    const bytes = Buffer.from('the heron stands on one leg');
    expect(await store.put(bytes)).toBe(sha(bytes));
    expect(await store.put(bytes)).toBe(sha(bytes));
    expect(listed(at)).toEqual([sha(bytes)]);
    expect((await store.read(sha(bytes))).equals(bytes)).toBe(true);
    const { size, stream } = await store.open(sha(bytes));
    expect(size).toBe(bytes.length);
    expect(Buffer.concat(await stream.toArray()).equals(bytes)).toBe(true);
    await expect(store.open(sha(Buffer.from('gone')))).rejects.toThrow('ENOENT');
    await store.withLocalFiles([sha(bytes)], async ([path]) => expect(fs.readFileSync(path).equals(bytes)).toBe(true));
    await expect(store.withLocalFiles(['../secret'], async () => undefined)).rejects.toThrow('not a file hash');
  });

  test('what arrives is nowhere until it is kept, and gone when discarded', async () => {
    const { store, at } = newStore();
    const [kept, dropped] = [
      await store.receive(Readable.from([Buffer.from('ab'), Buffer.from('cd')])),
      await store.receive(Readable.from([Buffer.from('no')])),
    ];
    expect(kept).toMatchObject({ hash: sha(Buffer.from('abcd')), size: 4 });
    expect(listed(at)).not.toContain(kept.hash);
    await kept.keep();
    await dropped.discard();
    expect(listed(at)).toEqual([kept.hash]);
  });

  test('a stream that breaks off leaves nothing', async () => {
    const { store, at } = newStore();
    const broken = new Readable({
      read() {
        this.push(Buffer.from('half'));
        this.destroy(new Error('the cable came out'));
      },
    });
    await expect(store.receive(broken)).rejects.toThrow('the cable came out');
    expect(listed(at)).toEqual([]);
  });

  test('a file that somebody writes is stored whole or not at all', async () => {
    const { store, at } = newStore();
    const hash = await store.make(async (file) => fs.promises.writeFile(file, 'row by row'));
    expect(hash).toBe(sha(Buffer.from('row by row')));
    await expect(
      store.make(async (file) => {
        await fs.promises.writeFile(file, 'half');
        throw new Error('the disk is full');
      }),
    ).rejects.toThrow('the disk is full');
    expect(listed(at)).toEqual([hash]);
  });

  test('work folders stay inside', () => {
    const { store, at } = newStore();
    expect(store.workFolder('../../etc')).toBe(path.join(at, 'work', 'etc'));
  });

  test('a zip holds its files with their names, whole', async () => {
    const { store } = newStore();
    const entries = ['a/one.txt', 'two.bin'].map((p, i) => ({ path: p, bytes: Buffer.from(`file ${i}`.repeat(100)) }));
    const zip = await zipFiles(entries as never, store, new Date('2026-10-14T12:00:00Z'));
    await zip.keep();
    const bytes = await store.read(zip.hash);
    expect(bytes.subarray(0, 2).toString()).toBe('PK');
    for (const e of entries) {
      // Stored, not squeezed: the bytes lie in it as they are.
      expect(bytes.includes(e.bytes)).toBe(true);
      expect(bytes.includes(Buffer.from(e.path))).toBe(true);
    }
  });
});

const BLOBS = Array.from(
  { length: 40 },
  (_, k) => [(k * 97.3) % 320, (k * 61.7) % 200, 6 + ((k * 13) % 17), 0.02 + 0.005 * (k % 9)] as const,
);

describe('a photograph against its plate', () => {
  const draw = async (name: string, shift: number, gain: number, width = 320) => {
    const codes = new Uint8Array(width * 200 * 3);
    for (let y = 0; y < 200; y++) {
      for (let x = 0; x < width; x++) {
        const [u, v] = [x - shift, y];
        // Blobs that nowhere repeat.
        const light =
          0.15 +
          BLOBS.reduce(
            (s, [bx, by, size, much]) => s + much * Math.exp(-((u - bx) ** 2 + (v - by) ** 2) / (size * size)),
            0,
          );
        codes.fill(
          Math.min(255, Math.round(255 * (gain * light) ** (1 / 2.2))),
          3 * (y * width + x),
          3 * (y * width + x) + 3,
        );
      }
    }
    const file = path.join(folder, name);
    fs.writeFileSync(file, await encodePng(codes, width, 200));
    return { path: file, name, decoding: { curve: 'gamma:2.2', range: 'full', primaries: 'rec709' } as const };
  };

  test('the same place and light; moved by two pixels; half a stop more light', async () => {
    const plate = { ...(await draw('plate.png', 0, 1)), id: 'plate' };
    const same = await comparePictures(plate, await draw('same.png', 0, 1));
    expect(same).toMatchObject({ moved: false, widthPx: 320, againstPlateId: 'plate' });
    expect(Math.abs(same.exposureStops)).toBeLessThan(0.01);
    const moved = await comparePictures(plate, await draw('moved.png', 2, 1));
    expect(moved.moved).toBe(true);
    expect(Math.abs(Math.abs(moved.shiftXPx) - 2)).toBeLessThan(0.2);
    const brighter = await comparePictures(plate, await draw('brighter.png', 0, Math.SQRT2));
    expect(brighter.moved).toBe(false);
    expect(Math.abs(brighter.exposureStops - 0.5)).toBeLessThan(0.01);
  });

  test('another recording format cannot be compared', async () => {
    const plate = { ...(await draw('plate2.png', 0, 1)), id: 'plate' };
    await expect(comparePictures(plate, await draw('wide.png', 0, 1, 360))).rejects.toThrow(
      /wide\.png: is 360 × 200 px, the plate 320 × 200/,
    );
  });
});
