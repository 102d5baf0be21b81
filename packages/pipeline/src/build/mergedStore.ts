import { createHash, randomUUID } from 'node:crypto';
import { createReadStream } from 'node:fs';
import fs from 'node:fs/promises';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
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

  /** What decides the result of a merge; files are told by what is in them, so that another worker, with other paths, takes up the same view. */
  async key(input: Omit<MergeViewInput, 'pixels' | 'clipped' | 'uncertainty' | 'moved'>): Promise<string> {
    const frames = await Promise.all(
      input.frames.map(async ({ path: file, ...f }) => ({ ...f, content: await contentHash(file) })),
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
    // Two workers may finish the same view: each writes its own, the last whole one stands.
    const part = this.at(key, `${randomUUID()}.part`);
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

async function contentHash(file: string): Promise<string> {
  const digest = createHash('sha256');
  await pipeline(createReadStream(file), digest);
  return digest.digest('hex');
}

function absent(e: NodeJS.ErrnoException): null {
  if (e.code === 'ENOENT') return null;
  throw e;
}
