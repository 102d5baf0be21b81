import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { CLIENT_HEADER, type Setup } from '@tawny/contract';
import { encodeJpeg } from '@tawny/formats';
import type { Row } from './report';
import { openTrial } from './trial';

const ROOM_MB = 12;
const API = '/api/v1/productions/HERN';

/** A disk with little room is filled by uploads; the answer must come at once, nothing may stay, and room must be all that is needed. */
export async function fullDisk(): Promise<Row[]> {
  const disk = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-disk-'));
  execFileSync('mount', ['-t', 'tmpfs', '-o', `size=${ROOM_MB}m,mode=755`, 'tmpfs', disk]);
  try {
    const trial = await openTrial('faults-disk', disk);
    const { base } = trial;
    try {
      const setups = ((await (await fetch(`${base}${API}/setups`)).json()) as { items: Setup[] }).items;
      const [side, codes] = [1600, new Uint8Array(1600 * 1200 * 3)];
      const send = async (seed: number) => {
        for (let i = 0; i < codes.length; i++) codes[i] = (Math.imul(i ^ seed, 2654435761) >>> 24) & 255;
        const bytes = await encodeJpeg(codes, side, 1200);
        const data = new FormData();
        data.append('frames', new Blob([new Uint8Array(bytes)], { type: 'image/jpeg' }), `p${seed}.jpg`);
        const started = performance.now();
        const response = await fetch(`${base}${API}/references?setupId=${setups[0].id}&kind=setPhoto`, {
          method: 'POST',
          headers: { [CLIENT_HEADER]: 'faults' },
          body: data,
        });
        const body = (await response.json()) as { code?: string };
        return { status: response.status, code: body.code, ms: performance.now() - started };
      };
      const answers: Awaited<ReturnType<typeof send>>[] = [];
      for (let k = 1; k <= 12; k++) answers.push(await send(k));
      const full = answers.filter((a) => a.status === 507 && a.code === 'disk-full');
      const other = answers.filter((a) => a.status !== 201 && a.status !== 507);
      const waiting = fs.readdirSync(path.join(disk, 'incoming')).length;
      const health = (await fetch(`${base}/health`)).ok;
      execFileSync('mount', ['-o', 'remount,size=200m', disk]);
      const after = await send(99);
      const slowest = Math.max(...full.map((a) => a.ms));
      return [
        {
          what: `A disk of ${ROOM_MB} MiB filled by photographs of about 5 MiB, then given room`,
          tried: `${answers.length} uploads, ${full.length} of them beyond the room`,
          held: `507 after at most ${slowest.toFixed(0)} ms, ${waiting} files half kept, ${other.length} other answers; with room again: ${after.status}`,
          good:
            full.length > 0 && other.length === 0 && waiting === 0 && health && after.status === 201 && slowest < 5000,
        },
      ];
    } finally {
      await trial.stop();
    }
  } finally {
    execFileSync('umount', ['-l', disk]);
    fs.rmSync(disk, { recursive: true, force: true });
  }
}
