// What sources hold, as one name: what is made of them is made anew when it changes.
import { createHash } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { root } from './modules.mjs';

const SKIP = new Set(['node_modules', 'dist', '.expo']);

function* files(entry) {
  if (fs.statSync(entry).isFile()) {
    yield entry;
    return;
  }
  for (const name of fs.readdirSync(entry).sort()) if (!SKIP.has(name)) yield* files(path.join(entry, name));
}

/** SHA-256 over names and contents of files and folders, given from the project's root. */
export function hashOfSources(sources, from = root) {
  const hash = createHash('sha256');
  for (const source of sources)
    for (const file of files(path.join(from, source)))
      hash.update(path.relative(from, file)).update(fs.readFileSync(file));
  return hash.digest('hex');
}
