import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import fs from 'node:fs/promises';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
import { orGone } from '../files/orGone';

export interface StoredFile {
  hash: string;
  path: string;
  size: number;
  mtimeMs: number;
}

/** Every file of a store, without what waits to be kept and work that may be taken up again. */
export async function* storedFiles(folder: string): AsyncGenerator<StoredFile> {
  for (const shelf of (await fs.readdir(folder)).sort()) {
    if (!/^[0-9a-f]{2}$/.test(shelf)) continue;
    for (const name of (await fs.readdir(path.join(folder, shelf))).sort()) {
      if (!/^[0-9a-f]{64}$/.test(name)) continue;
      const at = path.join(folder, shelf, name);
      const stat = await orGone(fs.stat(at));
      if (stat) yield { hash: name, path: at, size: stat.size, mtimeMs: stat.mtimeMs };
    }
  }
}

export const pathOfHash = (folder: string, hash: string): string => path.join(folder, hash.slice(0, 2), hash);

/** SHA-256 of a file as it lies there. */
export async function sha256Of(file: string): Promise<string> {
  const digest = createHash('sha256');
  await pipeline(createReadStream(file), digest);
  return digest.digest('hex');
}
