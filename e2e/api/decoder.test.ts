import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { expect, test } from '@playwright/test';
import { pino } from 'pino';
import sharp from 'sharp';
import { DecoderPool, DECODER_LIMITS, type DecoderLimits } from '../../apps/server/src/decode/pool';
import { encodeJpeg } from '@tawny/formats';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-decoder-'));
fs.chmodSync(folder, 0o755);
test.afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

const keep = (name: string, bytes: Uint8Array) => {
  const file = path.join(folder, name);
  fs.writeFileSync(file, bytes);
  return file;
};
const small = async () => keep('small.jpg', await encodeJpeg(new Uint8Array(64 * 48 * 3).fill(90), 64, 48));
/** A picture of one colour: small as a file, large when decoded. */
const large = async (width: number, height: number) => {
  const flat = sharp({ create: { width, height, channels: 3, background: { r: 90, g: 80, b: 70 } } });
  return keep(`large-${width}.png`, await flat.png().toBuffer());
};

async function withPool<T>(limits: Partial<DecoderLimits>, use: (pool: DecoderPool) => Promise<T>): Promise<T> {
  const pool = new DecoderPool(folder, pino({ level: 'silent' }), { ...DECODER_LIMITS, ...limits });
  try {
    return await use(pool);
  } finally {
    pool.close();
  }
}

/** Processes that were started by this one to decode. */
const decoders = () =>
  fs
    .readdirSync('/proc')
    .filter((pid) => /^\d+$/.test(pid))
    .map(Number)
    .filter((pid) => {
      try {
        const parent = fs.readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ')[1];
        return (
          Number(parent) === process.pid && fs.readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('decodeProcess')
        );
      } catch {
        // It ended while it was looked at.
        return false;
      }
    });

test('a picture is looked at elsewhere and comes back as what it is', async () => {
  await withPool({}, async (pool) => {
    const { head, preview } = await pool.run('look', await small(), 'small.jpg', 32);
    expect(head).toMatchObject({ width: 64, height: 48, bits: 8, format: 'jpeg' });
    expect(await sharp(preview).metadata()).toMatchObject({ format: 'jpeg', width: 32 });
    // What refuses a file there refuses it here, by name and code.
    const words = keep('words.jpg', Buffer.from('call at seven'));
    await expect(pool.run('look', words, 'words.jpg', 32)).rejects.toMatchObject({
      name: 'FileProblem',
      code: 'not-an-image',
      file: 'words.jpg',
    });
  });
});

test('a file that takes too long is given up by name, and the next one is decoded', async () => {
  // A pipe that nobody writes to is read for ever.
  const file = path.join(folder, 'endless.png');
  execFileSync('mkfifo', ['-m', '644', file]);
  await withPool({ processes: 1, taskMs: 3000 }, async (pool) => {
    const waiting = pool.run('look', await small(), 'after.jpg', 32);
    await waiting;
    const slow = pool.run('look', file, 'slow.png', 32);
    const behind = pool.run('look', await small(), 'behind.jpg', 32);
    await expect(slow).rejects.toMatchObject({ file: 'slow.png', message: expect.stringMatching(/takes longer than/) });
    expect((await behind).head.width).toBe(64);
  });
});

test('a file that needs too much memory is given up by name, and the next one is decoded', async () => {
  const file = await large(12000, 9000);
  await withPool({ processes: 1, memoryMb: 420 }, async (pool) => {
    await expect(pool.run('look', file, 'huge.png', 32)).rejects.toMatchObject({
      file: 'huge.png',
      message: expect.stringMatching(/needs more than 420 MiB/),
    });
    expect((await pool.run('look', await small(), 'small.jpg', 32)).head.height).toBe(48);
  });
});

test('a decoder that is ended over a file costs that file alone', async () => {
  const file = await large(9001, 7000);
  await withPool({ processes: 1 }, async (pool) => {
    await pool.run('look', await small(), 'small.jpg', 32);
    const lost = pool.run('look', file, 'lost.png', 32);
    const behind = pool.run('look', await small(), 'behind.jpg', 32);
    await new Promise((r) => setTimeout(r, 100));
    for (const pid of decoders()) process.kill(pid, 'SIGKILL');
    await expect(lost).rejects.toMatchObject({ file: 'lost.png', code: 'damaged-image' });
    expect((await behind).head.width).toBe(64);
  });
  // Closed is ended.
  await expect.poll(decoders).toEqual([]);
});
