// Installs the npm packages when the lock file changed since the last time. Prints to stderr only.
import { createHash } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { alone } from './alone.mjs';
import { endedWell } from './ended.mjs';

export const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..', '..');

export async function ensureModules() {
  const lock = path.join(root, 'package-lock.json');
  const stamp = path.join(root, 'node_modules', '.tawny-lock');
  const hash = createHash('sha256').update(fs.readFileSync(lock)).digest('hex');
  const installed = () => fs.existsSync(stamp) && fs.readFileSync(stamp, 'utf8') === hash;
  if (installed()) return;
  const say = (text) => process.stderr.write(`${text}\n`);
  const install = async () => {
    // Somebody else did it meanwhile.
    if (installed()) return;
    say('Installing npm packages ...');
    const npm = ['ci', '--no-audit', '--no-fund', '--loglevel=error'];
    // A tenth of its time goes into collecting what it leaves behind, unless it has room.
    const env = { ...process.env, NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ''} --max-semi-space-size=64`.trim() };
    if (!(await endedWell('npm', npm, { cwd: root, env, stdio: ['ignore', 2, 2] })))
      throw new Error('npm ci failed; its messages are above');
    fs.writeFileSync(stamp, hash);
  };
  // Two at once in one folder take each other's packages away.
  await alone(path.join(root, '.installing'), install, say);
}
