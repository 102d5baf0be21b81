import fs from 'node:fs/promises';
import path from 'node:path';
import type { Queries } from '../db/dataSource';
import { ARRIVING } from '../files/arriving';
import { orGone } from '../files/orGone';
import { referencedHashes } from './references';
import { storedFiles } from './storeFolder';

export const GRACE_MS = 24 * 3600_000;

/**
 * Removes what nothing refers to: stored files that no record names, half-received ones, and work that nobody took up again,
 * all older than the grace. A file that comes again meanwhile is young again.
 */
export async function collect(
  db: Queries,
  folder: string,
  graceMs = GRACE_MS,
): Promise<{ files: number; bytes: number }> {
  const before = Date.now() - graceMs;
  const old: { path: string; size: number; hash: string }[] = [];
  for await (const file of storedFiles(folder)) if (file.mtimeMs < before) old.push(file);
  // Asked after looking, so that what was recorded in between is known.
  const referenced = await referencedHashes(db);
  const removed = { files: 0, bytes: 0 };
  for (const file of old) {
    if (referenced.has(file.hash)) continue;
    const now = await orGone(fs.stat(file.path));
    if (!now || now.mtimeMs >= before) continue;
    await fs.rm(file.path, { force: true });
    removed.files++;
    removed.bytes += file.size;
  }
  for (const place of ['incoming', 'work', ARRIVING]) {
    const at = path.join(folder, place);
    for (const name of (await orGone(fs.readdir(at))) ?? []) {
      // What is known of a file in pieces is as old as its newest piece.
      const lasts = name.replace(/\.json$/, '');
      const stat = (await orGone(fs.stat(path.join(at, lasts)))) ?? (await orGone(fs.stat(path.join(at, name))));
      if (stat && stat.mtimeMs < before) {
        await fs.rm(path.join(at, name), { recursive: true, force: true });
        removed.files++;
        removed.bytes += stat.size;
      }
    }
  }
  return removed;
}
