// Starts the server and a worker on a database, looks after them, and stops them again.
import { spawn, spawnSync } from 'node:child_process';
import { program } from './program.mjs';
import { keepRunning } from './supervise.mjs';

const START_MS = 60_000;

/**
 * Starts server and worker; resolves when the server is healthy. Whichever ends is started again without harm to the other.
 * @param say hears of every end, in words
 * @param patience see `keepRunning`
 */
export async function startServices({
  databaseUrl,
  filesFolder,
  port,
  address = '127.0.0.1',
  hosts = '',
  webFolder,
  demo = true,
  demoDate,
  logLevel = 'warn',
  log = 'inherit',
  silentMs,
  wholePx,
  say,
  patience,
}) {
  const env = {
    ...process.env,
    TAWNY_DATABASE_URL: databaseUrl,
    TAWNY_FILES: filesFolder,
    TAWNY_PORT: String(port),
    TAWNY_ADDRESS: address,
    TAWNY_HOSTS: hosts,
    TAWNY_LOG: logLevel,
    ...(webFolder ? { TAWNY_WEB: webFolder } : {}),
    ...(silentMs ? { TAWNY_SILENT_MS: silentMs } : {}),
    ...(wholePx ? { TAWNY_WHOLE_PX: wholePx } : {}),
    ...(demoDate ? { TAWNY_DEMO_DATE: demoDate } : {}),
  };
  if (demo) {
    const seeded = spawnSync(process.execPath, program('seed'), {
      env,
      stdio: ['ignore', 'inherit', 'inherit'],
    });
    if (seeded.status !== 0) throw new Error('the demo data could not be written; messages are above');
  }
  const start = (name) => () => spawn(process.execPath, program(name), { env, stdio: ['ignore', log, log, 'ipc'] });
  const server = keepRunning('server', start('server'), say, patience);
  const worker = keepRunning('worker', start('worker'), say, patience);
  const base = `http://${address.includes(':') ? `[${address}]` : address}:${port}`;
  const stop = async () => {
    await Promise.all([server.stop(), worker.stop()]);
  };
  const until = Date.now() + START_MS;
  while (
    !(await fetch(`${base}/health`).then(
      (r) => r.ok,
      () => false,
    ))
  ) {
    if (Date.now() > until) {
      await stop();
      throw new Error('the server did not start; its messages are above');
    }
    await new Promise((r) => setTimeout(r, 200));
  }
  return { base, stop, server, worker, gaveUp: Promise.race([server.gaveUp, worker.gaveUp]) };
}

/** Logs the demo day on a running server, as a crew would; the interface can be used meanwhile. Once for a database: nothing is asked for twice. */
export function logDemoDay(base) {
  const child = spawn(process.execPath, [...program('logDay'), base], {
    stdio: ['ignore', 'inherit', 'inherit'],
  });
  child.once('exit', (code) => {
    if (code) console.error('The demo day could not be logged to its end; messages are above. Everything else works.');
  });
  return child;
}
