import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import type { SimulatedRound } from '@tawny/pipeline';

/** A folder of its own while something is done in it. */
export async function inFolder<T>(work: (folder: string) => Promise<T>): Promise<T> {
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-'));
  try {
    return await work(folder);
  } finally {
    await fs.rm(folder, { recursive: true });
  }
}

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
