import { spawn, type ChildProcess } from 'node:child_process';
import fs from 'node:fs';
import net from 'node:net';
import os from 'node:os';
import path from 'node:path';
import { expect } from '@playwright/test';

const freePort = () =>
  new Promise<number>((resolve) => {
    const server = net.createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as net.AddressInfo;
      server.close(() => resolve(port));
    });
  });

const ended = (child: ChildProcess) =>
  new Promise<void>((resolve) => {
    child.once('exit', () => resolve());
    child.kill('SIGTERM');
  });

/** A server and a worker of this release on a database, with files of their own, for as long as the use lasts. */
export async function withServer(databaseUrl: string, use: (base: string) => Promise<void>): Promise<void> {
  const port = await freePort();
  const files = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-own-'));
  // Decoders run as somebody without rights.
  fs.chmodSync(files, 0o755);
  const env = {
    ...process.env,
    TAWNY_DATABASE_URL: databaseUrl,
    TAWNY_FILES: files,
    TAWNY_PORT: String(port),
    TAWNY_WEB: path.resolve('apps/field/dist'),
    TAWNY_LOG: 'error',
  };
  const [server, worker] = ['server', 'worker'].map((name) =>
    spawn(process.execPath, [path.join(process.env.TAWNY_E2E_PROGRAMS!, `${name}.mjs`)], {
      env,
      stdio: ['ignore', 'inherit', 'inherit'],
    }),
  );
  try {
    const base = `http://127.0.0.1:${port}`;
    const healthy = () =>
      fetch(`${base}/health`).then(
        (r) => r.ok,
        () => false,
      );
    await expect.poll(healthy, { timeout: 60_000 }).toBe(true);
    await use(base);
  } finally {
    await Promise.all([ended(server), ended(worker)]);
    fs.rmSync(files, { recursive: true, force: true });
  }
}
