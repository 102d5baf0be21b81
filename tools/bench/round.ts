import { execFileSync } from 'node:child_process';
import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { resampleLatlong } from '@tawny/core';
import { writeExr } from '@tawny/formats';
import { buildPanorama, closeThreads, DEMO_PLACE, inspectPanorama, type SetSpec } from '@tawny/pipeline';
import { rigRound } from '../onDisk';
import type { BenchRow } from './api';

const LARGE_PX = 16384;
const spec: SetSpec = { scene: 'quay', seed: 7, place: DEMO_PLACE, utc: '2026-10-14T15:50:00Z', turbidity: 4 };
const seconds = (from: number) => (Date.now() - from) / 1000;
const missed = (value: number, bound: number) => (value <= bound ? '' : ', **missed**');

/** The demo round: 6 views x 7 frames x 6 Mpx, from files on disk to a stored 4096 x 2048 panorama; then the same frames to a large one, for memory. */
export async function roundRows(): Promise<BenchRow[]> {
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-bench-'));
  try {
    const shooting = Date.now();
    const shot = await rigRound({ spec, stepEv: 8 / 3, width: 3000 });
    const shootS = seconds(shooting);
    const files = await Promise.all(
      shot.files.map(async (f) => {
        const file = path.join(folder, f.name);
        await fs.writeFile(file, f.bytes);
        return { name: f.name, path: file };
      }),
    );
    const started = Date.now();
    const marks: [string, number][] = [];
    const built = await buildPanorama(
      { files, rig: shot.rig, width: 4096 },
      {
        onProgress: ({ stage }) => {
          const name = stage.replace(/ view \d+ of \d+/, ' the views');
          if (marks.at(-1)?.[0] !== name) marks.push([name, seconds(started)]);
        },
      },
    );
    inspectPanorama(built.panorama, { clippedSr: built.clippedSr });
    marks.push(['Inspected', seconds(started)]);
    await writeExr(built.panorama);
    resampleLatlong(built.panorama, 2048);
    const total = seconds(started);
    await fs.writeFile(path.join(folder, 'rig.json'), JSON.stringify(shot.rig));
    await closeThreads();
    const large = JSON.parse(
      execFileSync(
        process.execPath,
        ['--import', 'tsx', fileURLToPath(new URL('./large.ts', import.meta.url)), folder, String(LARGE_PX)],
        { encoding: 'utf8', stdio: ['ignore', 'pipe', 'inherit'] },
      ),
    ) as { seconds: number; peakMiB: number; fileMiB: number };
    return [
      {
        what: 'demo round (42 frames of 6 Mpx), files to stored 4096 x 2048 panorama',
        bound: '30 s',
        measured: `${total.toFixed(1)} s${missed(total, 30)}`,
      },
      ...marks.map(([stage, at]) => ({ what: `reached "${stage}"`, bound: '-', measured: `${at.toFixed(1)} s` })),
      {
        what: `the same frames to a stored ${LARGE_PX} x ${LARGE_PX / 2} panorama: most memory of the process`,
        bound: '2048 MiB',
        measured: `${large.peakMiB.toFixed(0)} MiB${missed(large.peakMiB, 2048)} (${large.seconds.toFixed(0)} s, file of ${large.fileMiB.toFixed(0)} MiB)`,
      },
      {
        what: 'simulated camera photographs it (set not cached)',
        bound: '-',
        measured: `${shootS.toFixed(1)} s`,
      },
    ];
  } finally {
    await fs.rm(folder, { recursive: true });
    await closeThreads();
  }
}
