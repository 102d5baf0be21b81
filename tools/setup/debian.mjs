// Installs missing Debian packages.
import { spawnSync } from 'node:child_process';
import { endedWell } from './ended.mjs';

function installed(name) {
  const run = spawnSync('dpkg-query', ['-W', '-f=${Status}', name], { encoding: 'utf8' });
  return run.status === 0 && run.stdout.includes('install ok installed');
}

/** Makes sure that Debian packages are there; needs root only when one is missing. */
export async function ensureDebian(names) {
  const missing = names.filter((n) => !installed(n));
  if (missing.length === 0) return;
  console.error(`Installing Debian packages: ${missing.join(' ')} ...`);
  if (process.getuid() !== 0) throw new Error(`root is needed to install: ${missing.join(' ')}`);
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  const apt = (...args) => endedWell('apt-get', args, { env, stdio: ['ignore', 'ignore', 'inherit'] });
  if (!(await apt('update', '-qq')) || !(await apt('install', '-y', '-qq', '--no-install-recommends', ...missing)))
    throw new Error('apt-get failed; its messages are above');
}
