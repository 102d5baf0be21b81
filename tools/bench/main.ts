import { execFileSync } from 'node:child_process';
import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { resampleLatlong } from '@tawny/core';
import { writeExr } from '@tawny/formats';
import { nativeRatios } from './native';
import { apiRows } from './api';
import { interfaceRows } from './interface';
import { openStage } from './stage';
import {
  buildPanorama,
  closeThreads,
  DEMO_PLACE,
  DEMO_STATION,
  inspectPanorama,
  simulateRound,
  type SetSpec,
} from '@tawny/pipeline';

/** The demo round: 6 views x 7 frames x 6 Mpx, from files on disk to a stored 4096 x 2048 panorama. */
const LARGE_PX = 16384;
const spec: SetSpec = { scene: 'quay', seed: 7, place: DEMO_PLACE, utc: '2026-10-14T15:50:00Z', turbidity: 4 };
const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-bench-'));
const seconds = (from: number) => (Date.now() - from) / 1000;
try {
  const shooting = Date.now();
  const shot = await simulateRound({
    spec,
    station: DEMO_STATION,
    views: 6,
    frames: 7,
    stepEv: 8 / 3,
    width: 3000,
    kind: 'jpeg',
    utcOffsetMinutes: 60,
  });
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
  const native = await nativeRatios();
  const stage = await openStage();
  const served = await apiRows(stage);
  const seen = await interfaceRows(stage).finally(() => stage.stop());
  const text = [
    '# Bench',
    '',
    'Written by `npm run bench`; do not edit. One run on two shared cores; wall time varies by a factor of two with what else the machine does.',
    '',
    '| what | bound | measured |',
    '| --- | --- | --- |',
    `| demo round (42 frames of 6 Mpx), files to stored 4096 x 2048 panorama | 30 s | ${total.toFixed(1)} s${total <= 30 ? '' : ', **missed**'} |`,
    ...marks.map(([stage, at]) => `| reached "${stage}" | - | ${at.toFixed(1)} s |`),
    `| the same frames to a stored ${LARGE_PX} x ${LARGE_PX / 2} panorama: most memory of the process | 2048 MiB | ${large.peakMiB.toFixed(0)} MiB${large.peakMiB <= 2048 ? '' : ', **missed**'} (${large.seconds.toFixed(0)} s, file of ${large.fileMiB.toFixed(0)} MiB) |`,
    `| simulated camera photographs it (set not cached) | - | ${shootS.toFixed(1)} s |`,
    '',
    '## Against a native library',
    '',
    '| what | bound | measured |',
    '| --- | --- | --- |',
    ...native.map((r) => `| ${r.what} | ${r.bound} | ${r.measured} |`),
    '',
    '## Server and interface',
    '',
    '| what | bound | measured |',
    '| --- | --- | --- |',
    ...[...served, ...seen].map((r) => `| ${r.what} | ${r.bound} | ${r.measured} |`),
    '',
  ].join('\n');
  await fs.writeFile(fileURLToPath(new URL('../../docs/bench.md', import.meta.url)), text);
  process.stderr.write(text);
} finally {
  await fs.rm(folder, { recursive: true });
  await closeThreads();
}
