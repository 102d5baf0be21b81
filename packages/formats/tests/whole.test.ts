import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import sharp from 'sharp';
import { createImage, RELATIVE_REC709 } from '@tawny/core';
import { decodeFrame, encodeDng, encodeJpeg, encodePng, encodeTiff16, FileProblem, writeExr } from '../src';
import { TAGS } from './support/written';

const [W, H] = [96, 64];
const CUTS = 60;
const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-whole-'));
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

const wave = (i: number) => 0.5 + 0.4 * Math.sin(i * 0.037) * Math.cos(i * 0.0113);
const codes8 = Uint8Array.from({ length: W * H * 3 }, (_, i) => 255 * wave(i));
const codes16 = Uint16Array.from({ length: W * H * 3 }, (_, i) => 65535 * wave(i));
const floats = Float32Array.from({ length: W * H * 3 }, (_, i) => 7 * wave(i));
const image = () => Object.assign(createImage(W, H, RELATIVE_REC709), { data: floats.slice() });
const raw8 = () => sharp(codes8, { raw: { width: W, height: H, channels: 3 } });

/** Radiance scanlines, run-length encoded or flat. */
function hdr(encoded: boolean): Buffer {
  const parts = [Buffer.from(`#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y ${H} +X ${W}\n`)];
  for (let y = 0; y < H; y++) {
    const rgbe = Array.from({ length: W }, (_, x) => [...codes8.subarray(3 * (y * W + x), 3 * (y * W + x) + 3), 128]);
    // The first flat pixel must not look like the mark of an encoded line.
    if (!encoded) parts.push(Buffer.from(rgbe.flat().map((v, i) => (i === 0 ? Math.max(3, v) : v))));
    else {
      parts.push(Buffer.from([2, 2, W >> 8, W & 255]));
      for (let c = 0; c < 4; c++)
        parts.push(c === 3 ? Buffer.from([128 + W, 128]) : Buffer.from([W, ...rgbe.map((p) => p[c])]));
    }
  }
  return Buffer.concat(parts);
}

const KINDS: Record<string, () => Promise<Buffer>> = {
  'one.jpg': () => encodeJpeg(codes8, W, H, TAGS),
  'eight.png': () => encodePng(codes8, W, H),
  'sixteen.tif': async () => Buffer.from(await encodeTiff16(codes16, W, H, TAGS)),
  'lzw.tif': () => raw8().tiff({ compression: 'lzw' }).toBuffer(),
  'deflate.tif': () => raw8().tiff({ compression: 'deflate', predictor: 'horizontal' }).toBuffer(),
  'tiled.tif': () => raw8().tiff({ compression: 'none', tile: true, tileWidth: 32, tileHeight: 32 }).toBuffer(),
  'plain.tif': () => raw8().tiff({ compression: 'none' }).toBuffer(),
  'half.exr': async () => Buffer.from(await writeExr(image(), {}, 'half')),
  'float.exr': async () => Buffer.from(await writeExr(image(), {}, 'float')),
  'runs.hdr': async () => hdr(true),
  'flat.hdr': async () => hdr(false),
  'sensor.dng': async () =>
    encodeDng(codes16.slice(0, W * H), W, H, { black: [0, 0, 0, 0], white: 65535, colourMatrix: [1, 0, 0, 0, 1, 0, 0, 0, 1], asShotNeutral: [1, 1, 1] }, TAGS),
}; // prettier-ignore

let made = 0;
async function outcome(bytes: Buffer, name: string): Promise<{ pixels: Buffer } | { refused: string }> {
  const file = path.join(folder, `${made++}-${name}`);
  fs.writeFileSync(file, bytes);
  try {
    const { width, height, codes } = await decodeFrame(file, name);
    return {
      pixels: Buffer.concat([
        Buffer.from(`${width}x${height}:`),
        Buffer.from(codes.buffer, codes.byteOffset, codes.byteLength),
      ]),
    };
  } catch (error) {
    // Nothing but a problem that names the file.
    if (!(error instanceof FileProblem) || error.file !== name) throw error;
    return { refused: error.message };
  } finally {
    fs.rmSync(file);
  }
}

describe.each(Object.keys(KINDS))('%s', (name) => {
  test('whole it is read; cut anywhere it is refused by name, or nothing of its pixels is lost', async () => {
    const bytes = await KINDS[name]();
    const whole = await outcome(bytes, name);
    if (!('pixels' in whole)) throw new Error(`${name} whole: ${whole.refused}`);
    let refused = 0;
    for (let k = 0; k < CUTS; k++) {
      const seen = await outcome(bytes.subarray(0, Math.floor((bytes.length * (k + 0.5)) / CUTS)), name);
      if ('refused' in seen) refused++;
      else expect(seen.pixels.equals(whole.pixels)).toBe(true);
    }
    // A trailer without pixels may be missing, never a tenth of the file.
    expect(refused).toBeGreaterThanOrEqual(0.9 * CUTS);
  });
});

/** Files whose every block is summed tell a single turned byte; of the others no reader can. */
test.each(['eight.png', 'float.exr', 'half.exr'])('%s: a turned byte is refused or changes nothing', async (name) => {
  const bytes = await KINDS[name]();
  const whole = await outcome(bytes, name);
  if (!('pixels' in whole)) throw new Error(`${name} whole: ${whole.refused}`);
  let refused = 0;
  for (let k = 0; k < CUTS; k++) {
    const turned = Buffer.from(bytes);
    turned[Math.floor((bytes.length * (k + 0.5)) / CUTS)] ^= 0x41;
    const seen = await outcome(turned, name);
    if ('refused' in seen) refused++;
    else expect(seen.pixels.equals(whole.pixels)).toBe(true);
  }
  // Most of a file is pixels.
  expect(refused).toBeGreaterThanOrEqual(0.8 * CUTS);
});

describe('headers that lie about the size', () => {
  const lies: [string, () => Promise<Buffer>][] = [
    ['91 bytes that claim 16384 x 8192', async () => Buffer.from(`#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 8192 +X 16384\n${'\x02\x02\x40\x00'.repeat(8)}`, 'latin1')],
    ['a line more than there is', async () => Buffer.from(hdr(true).toString('latin1').replace(`-Y ${H}`, `-Y ${H + 1}`), 'latin1')],
    ['a wider line than there is', async () => Buffer.from(hdr(true).toString('latin1').replace(`+X ${W}`, `+X ${W + 1}`), 'latin1')],
  ]; // prettier-ignore
  test.each(lies)('.hdr: %s', async (_, make) => {
    // The test's own time, whatever else the machine does.
    const started = process.cpuUsage();
    expect(await outcome(await make(), 'liar.hdr')).toMatchObject({ refused: expect.stringContaining('liar.hdr') });
    expect(process.cpuUsage(started).user / 1000).toBeLessThan(1000);
  });

  test('TIFF: a taller picture than its strips hold', async () => {
    const bytes = Buffer.from(await KINDS['sixteen.tif']());
    const directory = bytes.readUInt32LE(4);
    for (let i = 0; i < bytes.readUInt16LE(directory); i++) {
      const entry = directory + 2 + 12 * i;
      if (bytes.readUInt16LE(entry) === 257) bytes.writeUInt32LE(8192, entry + 8);
    }
    expect(await outcome(bytes, 'tall.tif')).toMatchObject({ refused: expect.stringContaining('tall.tif') });
  });

  test('OpenEXR: a taller window than its blocks hold', async () => {
    const bytes = Buffer.from(await KINDS['float.exr']());
    const at = bytes.indexOf('dataWindow') + 'dataWindow\0box2i\0'.length + 4;
    bytes.writeInt32LE(8191, at + 12);
    expect(await outcome(bytes, 'tall.exr')).toMatchObject({ refused: expect.stringContaining('tall.exr') });
  });
});
