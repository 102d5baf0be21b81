import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { DEMO_STATION, simulateRound, type SimulatedRound, type SimulateRoundInput } from '@tawny/pipeline';

/** A folder of its own while something is done in it. */
export async function inFolder<T>(work: (folder: string) => Promise<T>): Promise<T> {
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-'));
  try {
    return await work(folder);
  } finally {
    await fs.rm(folder, { recursive: true });
  }
}

/** The rig's round at the demo's station as tables and benchmarks take it: six views of seven JPEGs at 2 EV, 1024 px; anything may be said otherwise. */
export const rigRound = (
  input: Pick<SimulateRoundInput, 'spec'> & Partial<SimulateRoundInput>,
): Promise<SimulatedRound> =>
  simulateRound({
    station: DEMO_STATION,
    views: 6,
    frames: 7,
    stepEv: 2,
    width: 1024,
    kind: 'jpeg',
    utcOffsetMinutes: 60,
    ...input,
  });

/** The frames of a round as files, while something is done with them. */
export function onDisk<T>(
  shot: SimulatedRound,
  work: (files: { name: string; path: string }[]) => Promise<T>,
): Promise<T> {
  return inFolder(async (folder) => {
    const files = shot.files.map((f) => ({ name: f.name, path: path.join(folder, f.name) }));
    await Promise.all(shot.files.map((f, i) => fs.writeFile(files[i].path, f.bytes)));
    return work(files);
  });
}
