// Starts the server and a worker on a database, and stops them again.
import { spawn, spawnSync } from 'node:child_process';
import path from 'node:path';
import { root } from './modules.mjs';

const ts = (file) => ['--import', 'tsx', path.join(root, file)];

/** Starts server and worker; resolves when the server is healthy. */
export async function startServices({
  databaseUrl,
  filesFolder,
  port,
  webFolder,
  demoDate,
  logLevel = 'warn',
  log = 'inherit',
  silentMs,
}) {
  const env = {
    ...process.env,
    TAWNY_DATABASE_URL: databaseUrl,
    TAWNY_FILES: filesFolder,
    TAWNY_PORT: String(port),
    TAWNY_LOG: logLevel,
    ...(webFolder ? { TAWNY_WEB: webFolder } : {}),
    ...(silentMs ? { TAWNY_SILENT_MS: silentMs } : {}),
    ...(demoDate ? { TAWNY_DEMO_DATE: demoDate } : {}),
  };
  const seeded = spawnSync(process.execPath, ts('apps/server/src/demo/main.ts'), {
    env,
    stdio: ['ignore', 'inherit', 'inherit'],
  });
  if (seeded.status !== 0) throw new Error('the demo data could not be written; messages are above');
  const children = ['apps/server/src/main.ts', 'apps/server/src/worker.ts'].map((file) =>
    spawn(process.execPath, ts(file), { env, stdio: ['ignore', log, log] }),
  );
  const ended = new Promise((resolve) => children.forEach((c) => c.once('exit', (code) => resolve(code))));
  const base = `http://127.0.0.1:${port}`;
  for (let tries = 0; ; tries++) {
    const ok = await fetch(`${base}/health`).then(
      (r) => r.ok,
      () => false,
    );
    if (ok) break;
    if (tries > 150 || children.some((c) => c.exitCode !== null))
      throw new Error('the server did not start; its messages are above');
    await new Promise((r) => setTimeout(r, 200));
  }
  const stop = async () => {
    await Promise.all(
      children.map((c) =>
        c.exitCode !== null
          ? null
          : new Promise((resolve) => {
              c.once('exit', resolve);
              c.kill('SIGTERM');
              setTimeout(() => c.kill('SIGKILL'), 8000).unref();
            }),
      ),
    );
  };
  return { base, stop, ended, children };
}

/** Logs the demo day on a running server, as a crew would; the interface can be used meanwhile. Once for a database: nothing is asked for twice. */
export function logDemoDay(base) {
  const child = spawn(process.execPath, [...ts('apps/server/src/demo/logDayMain.ts'), base], {
    stdio: ['ignore', 'inherit', 'inherit'],
  });
  child.once('exit', (code) => {
    if (code) console.error('The demo day could not be logged to its end; messages are above. Everything else works.');
  });
  return child;
}
