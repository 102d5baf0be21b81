import { createHash } from 'node:crypto';
import fs from 'node:fs/promises';
import path from 'node:path';
import type { MergeViewInput, MergeViewOutput } from './mergeView';

/** Raise when the merge changes, so that no stale view is taken up. */
const MERGE_VERSION = 2;

export interface MergedPlanes {
  pixels: Float32Array;
  clipped: Uint8Array;
  uncertainty: Uint8Array;
  moved: Uint8Array;
}

const planesOf = (p: MergedPlanes) => [p.pixels, p.clipped, p.uncertainty, p.moved];
const bytesOf = (a: Float32Array | Uint8Array) => Buffer.from(a.buffer, a.byteOffset, a.byteLength);

/** Merged views in a folder, so that a build that was killed goes on from those that were finished. A view is there whole or not at all. */
export class MergedStore {
  constructor(private readonly folder: string) {}

  /** What decides the result of a merge; files are told by path, size and time of change. */
  async key(input: Omit<MergeViewInput, 'pixels' | 'clipped' | 'uncertainty' | 'moved'>): Promise<string> {
    const frames = await Promise.all(
      input.frames.map(async (f) => {
        const { size, mtimeMs } = await fs.stat(f.path);
        return { ...f, size, mtimeMs };
      }),
    );
    const tables = input.tables?.map((t) => createHash('sha256').update(bytesOf(t)).digest('hex'));
    return createHash('sha256')
      .update(JSON.stringify([MERGE_VERSION, { ...input, frames, tables }]))
      .digest('hex')
      .slice(0, 32);
  }

  /** Fills the planes from a finished view. Null when there is none. */
  async take(key: string, into: MergedPlanes): Promise<MergeViewOutput | null> {
    const facts = await fs.readFile(this.at(key, 'json'), 'utf8').catch(absent);
    const data = facts === null ? null : await fs.readFile(this.at(key, 'view')).catch(absent);
    const planes = planesOf(into).map(bytesOf);
    if (facts === null || data === null || data.length !== planes.reduce((s, p) => s + p.length, 0)) return null;
    let at = 0;
    for (const plane of planes) at += data.copy(plane, 0, at, at + plane.length);
    return JSON.parse(facts) as MergeViewOutput;
  }

  /** Keeps a finished view: pixels first, facts last. */
  async put(key: string, planes: MergedPlanes, facts: MergeViewOutput): Promise<void> {
    await fs.mkdir(this.folder, { recursive: true });
    const part = this.at(key, 'part');
    const file = await fs.open(part, 'w');
    try {
      for (const plane of planesOf(planes)) await file.writeFile(bytesOf(plane));
    } finally {
      await file.close();
    }
    await fs.rename(part, this.at(key, 'view'));
    await fs.writeFile(`${part}.json`, JSON.stringify(facts));
    await fs.rename(`${part}.json`, this.at(key, 'json'));
  }

  /** Forgets everything, once the build is stored. */
  async clear(): Promise<void> {
    await fs.rm(this.folder, { recursive: true, force: true });
  }

  private at(key: string, suffix: string): string {
    return path.join(this.folder, `${key}.${suffix}`);
  }
}

function absent(e: NodeJS.ErrnoException): null {
  if (e.code === 'ENOENT') return null;
  throw e;
}
