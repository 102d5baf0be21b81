// A PostgreSQL cluster of the project's own, on loopback, on a port that nobody else holds.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import fs from 'node:fs';
import net from 'node:net';
import os from 'node:os';
import path from 'node:path';
import { root } from './modules.mjs';

const asRoot = process.getuid() === 0;

/** Folder for everything that is not source: one for each checkout, so that two never share a database. */
export function dataHome() {
  const base =
    process.env.TAWNY_HOME ??
    (asRoot ? '/var/lib/tawny-sunset' : path.join(os.homedir(), '.local', 'share', 'tawny-sunset'));
  return path.join(base, createHash('sha256').update(root).digest('hex').slice(0, 10));
}

function binaries() {
  const versions = fs.readdirSync('/usr/lib/postgresql').sort((a, b) => Number(b) - Number(a));
  return path.join('/usr/lib/postgresql', versions[0], 'bin');
}

/** PostgreSQL refuses to run as root. */
function pg(program, args) {
  const file = path.join(binaries(), program);
  const run = asRoot
    ? spawnSync('runuser', ['-u', 'postgres', '--', file, ...args], { encoding: 'utf8', cwd: '/' })
    : spawnSync(file, args, { encoding: 'utf8' });
  return { ok: run.status === 0, text: `${run.stdout ?? ''}${run.stderr ?? ''}` };
}

export function freePort(wanted = 0) {
  return new Promise((resolve, reject) => {
    const probe = net.createServer();
    probe.once('error', reject);
    probe.listen(wanted, '127.0.0.1', () => {
      const { port } = probe.address();
      probe.close(() => resolve(port));
    });
  });
}

/** Starts (or joins) the cluster `name`. Returns its URL and how to stop it; stopping a joined one does nothing. */
export async function startPostgres(name, { durable = true } = {}) {
  const folder = path.join(dataHome(), name);
  const data = path.join(folder, 'pg');
  fs.mkdirSync(folder, { recursive: true });
  if (asRoot) spawnSync('chown', ['postgres:', folder]);
  if (!fs.existsSync(path.join(data, 'PG_VERSION'))) {
    const made = pg('initdb', ['-D', data, '-U', 'tawny', '--auth=trust', '-E', 'UTF8', '--locale=C.UTF-8']);
    if (!made.ok) throw new Error(`initdb failed: ${made.text}`);
  }
  const url = (port) => `postgres://tawny@127.0.0.1:${port}/postgres`;
  if (pg('pg_ctl', ['-D', data, 'status']).ok) {
    const port = Number(fs.readFileSync(path.join(data, 'postmaster.pid'), 'utf8').split('\n')[3]);
    return { url: url(port), stop: () => undefined };
  }
  const port = await freePort();
  const options = [
    `-p ${port}`,
    '-c listen_addresses=127.0.0.1',
    `-c unix_socket_directories=${data}`,
    ...(durable ? [] : ['-c fsync=off', '-c synchronous_commit=off', '-c full_page_writes=off']),
  ];
  const started = pg('pg_ctl', [
    '-D',
    data,
    '-w',
    '-t',
    '60',
    '-l',
    path.join(data, 'server.log'),
    '-o',
    options.join(' '),
    'start',
  ]);
  if (!started.ok) throw new Error(`PostgreSQL did not start: ${started.text}`);
  return { url: url(port), stop: () => void pg('pg_ctl', ['-D', data, '-m', 'fast', '-w', 'stop']) };
}
