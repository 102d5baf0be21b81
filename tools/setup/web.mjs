// Exports the interface for the web when its sources changed.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { root } from './modules.mjs';

const SOURCES = ['apps/field', 'packages/core', 'packages/contract', 'package-lock.json'];
const SKIP = new Set(['node_modules', 'dist', '.expo']);

function* files(entry) {
  if (fs.statSync(entry).isFile()) {
    yield entry;
    return;
  }
  for (const name of fs.readdirSync(entry).sort()) if (!SKIP.has(name)) yield* files(path.join(entry, name));
}

export const webFolder = path.join(root, 'apps/field/dist');

export function ensureWeb() {
  const hash = createHash('sha256');
  for (const source of SOURCES)
    for (const file of files(path.join(root, source)))
      hash.update(file.slice(root.length)).update(fs.readFileSync(file));
  const wanted = hash.digest('hex');
  const stamp = path.join(webFolder, '.sources');
  if (fs.existsSync(stamp) && fs.readFileSync(stamp, 'utf8') === wanted) return;
  console.error('Building the interface (about a minute the first time) ...');
  const env = { ...process.env, EXPO_OFFLINE: '1', EXPO_NO_TELEMETRY: '1', CI: '1', NODE_ENV: 'production' };
  const run = spawnSync('npx', ['expo', 'export', '--platform', 'web', '--output-dir', 'dist'], {
    cwd: path.join(root, 'apps/field'),
    env,
    encoding: 'utf8',
  });
  if (run.status !== 0) throw new Error(`expo export failed:\n${run.stdout}${run.stderr}`);
  fs.writeFileSync(stamp, wanted);
}
