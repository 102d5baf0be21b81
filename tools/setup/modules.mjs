// Installs the npm packages when the lock file changed since the last time. Prints to stderr only.
import { createHash } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { endedWell } from './ended.mjs';

export const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..', '..');

export async function ensureModules() {
  const lock = path.join(root, 'package-lock.json');
  const stamp = path.join(root, 'node_modules', '.tawny-lock');
  const hash = createHash('sha256').update(fs.readFileSync(lock)).digest('hex');
  if (fs.existsSync(stamp) && fs.readFileSync(stamp, 'utf8') === hash) return;
  process.stderr.write('Installing npm packages ...\n');
  const npm = ['ci', '--no-audit', '--no-fund', '--loglevel=error'];
  // A tenth of its time goes into collecting what it leaves behind, unless it has room.
  const env = { ...process.env, NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ''} --max-semi-space-size=64`.trim() };
  if (!(await endedWell('npm', npm, { cwd: root, env, stdio: ['ignore', 2, 2] })))
    throw new Error('npm ci failed; its messages are above');
  fs.writeFileSync(stamp, hash);
}
