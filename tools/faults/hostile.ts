import fs from 'node:fs';
import { crc32, deflateSync } from 'node:zlib';
import { CLIENT_HEADER, type Setup } from '@tawny/contract';
import { encodeJpeg, encodePng, encodeTiff16 } from '@tawny/formats';
import { TAGS } from '../../packages/formats/tests/support/written';
import type { Row } from './report';
import type { Installation } from '../installation';

const API = '/api/v1/productions/HERN';
const HOSTILE = 50;
const HONEST = 20;
const MOST_MB = 600;
const MOST_MS = 100;

const megabytes = (pid: number, field: string) => {
  const status = fs.readFileSync(`/proc/${pid}/status`, 'utf8');
  return Number(status.match(new RegExp(`${field}:\\s+(\\d+)`))?.[1] ?? 0) / 1024;
};

/** A PNG of one colour that claims a hundred megapixels in a few kilobytes. */
async function bomb(): Promise<Buffer> {
  const [width, height] = [12000, 8000];
  const small = await encodePng(new Uint8Array(48 * 48 * 3), 48, 48);
  const chunk = (type: string, body: Buffer) => {
    const head = Buffer.alloc(8);
    head.writeUInt32BE(body.length);
    head.write(type, 4, 'latin1');
    const sum = Buffer.alloc(4);
    sum.writeUInt32BE(crc32(Buffer.concat([head.subarray(4), body])));
    return Buffer.concat([head, body, sum]);
  };
  const header = Buffer.alloc(13);
  header.writeUInt32BE(width);
  header.writeUInt32BE(height, 4);
  header.set([8, 2, 0, 0, 0], 8);
  const data = deflateSync(Buffer.alloc(height * (3 * width + 1)));
  return Buffer.concat([
    small.subarray(0, 8),
    chunk('IHDR', header),
    chunk('IDAT', data),
    chunk('IEND', Buffer.alloc(0)),
  ]);
}

async function hostileFiles(): Promise<{ name: string; bytes: Buffer }[]> {
  const tiny = Buffer.from(
    `#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 8192 +X 16384\n${'\x02\x02\x40\x00'.repeat(8)}`,
    'latin1',
  );
  const codes = Uint16Array.from({ length: 400 * 300 * 3 }, (_, i) => (i * 7919) & 65535);
  const tiff = Buffer.from(await encodeTiff16(codes, 400, 300, TAGS));
  const jpeg = await encodeJpeg(
    new Uint8Array(640 * 480 * 3).map((_, i) => (i * 31) & 255),
    640,
    480,
  );
  const exr = Buffer.alloc(4000);
  exr.set([0x76, 0x2f, 0x31, 0x01, 2]);
  return [
    { name: 'claims.hdr', bytes: tiny },
    { name: 'bomb.png', bytes: await bomb() },
    { name: 'quarter.tif', bytes: tiff.subarray(0, tiff.length / 4) },
    { name: 'half.jpg', bytes: jpeg.subarray(0, jpeg.length / 2) },
    { name: 'zeros.exr', bytes: exr },
    { name: 'noise.dng', bytes: Buffer.from(codes.buffer, 0, 60000) },
    { name: 'words.jpg', bytes: Buffer.from('call at seven '.repeat(3000)) },
  ];
}

/** Hostile and honest uploads at once, while somebody asks every 20 ms whether the server is well. */
export async function hostile({ base, services }: Installation): Promise<Row[]> {
  const setups = ((await (await fetch(`${base}${API}/setups`)).json()) as { items: Setup[] }).items;
  const at = `${base}${API}/references?setupId=${setups[0].id}&kind=setPhoto`;
  const send = async (name: string, bytes: Uint8Array) => {
    const data = new FormData();
    data.append('frames', new Blob([new Uint8Array(bytes)]), name);
    const response = await fetch(at, { method: 'POST', headers: { [CLIENT_HEADER]: 'faults' }, body: data });
    const body = (await response.json()) as { detail?: string };
    return { name, status: response.status, named: body.detail?.includes(name) ?? false };
  };
  const bad = await hostileFiles();
  // 24 megapixels of 16 bits, as an honest camera writes them.
  const [width, height] = [6000, 4000];
  const honest = Uint16Array.from({ length: width * height * 3 }, (_, i) => 20000 + 9000 * Math.sin(i * 1e-4));
  const good = Buffer.from(await encodeTiff16(honest, width, height, TAGS));
  let over = false;
  const asked: number[] = [];
  let most = 0;
  const watch = (async () => {
    while (!over) {
      const started = performance.now();
      await (await fetch(`${base}/health`)).arrayBuffer();
      asked.push(performance.now() - started);
      most = Math.max(most, megabytes(services.server.pid, 'VmRSS'));
      await new Promise((r) => setTimeout(r, 20));
    }
  })();
  const started = Date.now();
  const answers = await Promise.all([
    ...Array.from({ length: HOSTILE }, (_, k) => send(bad[k % bad.length].name, bad[k % bad.length].bytes)),
    ...Array.from({ length: HONEST }, (_, k) => {
      const own = Buffer.from(good);
      // Each one another picture.
      own.writeUInt16LE(20000 + k, own.length - 2);
      return send(`honest${k}.tif`, own);
    }),
  ]);
  const seconds = (Date.now() - started) / 1000;
  over = true;
  await watch;
  asked.sort((a, b) => a - b);
  const p99 = asked[Math.floor(0.99 * asked.length)];
  const kept = answers.filter((a) => a.name.startsWith('honest') && a.status === 201).length;
  const refused = answers.filter((a) => !a.name.startsWith('honest') && a.status === 422 && a.named).length;
  // The bomb is a whole picture: it may be taken in.
  const taken = answers.filter((a) => a.name === 'bomb.png' && a.status === 201).length;
  return [
    {
      what: `${HOSTILE} hostile and ${HONEST} honest uploads (24 megapixels of 16 bits) at once, ${seconds.toFixed(0)} s`,
      tried: `/health asked ${asked.length} times meanwhile`,
      held: `${kept} of ${HONEST} honest ones kept, ${refused} hostile ones refused by name, ${taken} whole but huge ones taken in; /health p99 ${p99.toFixed(0)} ms (bound ${MOST_MS}), server at most ${most.toFixed(0)} MiB (bound ${MOST_MB})`,
      good: kept === HONEST && refused + taken === HOSTILE && p99 <= MOST_MS && most <= MOST_MB,
    },
  ];
}
