// An installation of one's own for a bench, a trial or pictures: an empty cluster, an empty store, the demo's seed, server and worker.
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { dataHome } from './data.mjs';
import { freePort, startPostgres } from './postgres.mjs';
import { startServices } from './services.mjs';

/**
 * @param name of the cluster in the checkout's own folder; what it held before is gone
 * @param options `durable` false for what may be lost with the machine; `files` a store to use instead of a new one; `watched` looks
 *   after the database as a real installation does; everything else as `startServices` takes it
 */
export async function openInstallation(name, { durable = false, files, watched = false, ...services } = {}) {
  const folder = path.join(dataHome(), name);
  fs.rmSync(folder, { recursive: true, force: true });
  const postgres = await startPostgres(name, { durable });
  const looking = watched ? postgres.lookAfter(() => undefined) : null;
  const filesFolder = files ?? fs.mkdtempSync(path.join(os.tmpdir(), `tawny-${name}-`));
  // Decoders run as somebody without rights.
  fs.chmodSync(filesFolder, 0o755);
  const started = await startServices({
    databaseUrl: postgres.url,
    filesFolder,
    port: await freePort(),
    demoDate: '2026-10-14',
    logLevel: 'error',
    ...services,
  });
  return {
    base: started.base,
    services: started,
    databaseUrl: postgres.url,
    folder,
    filesFolder,
    stop: async () => {
      looking?.stop();
      await started.stop();
      postgres.stop();
      if (!files) fs.rmSync(filesFolder, { recursive: true, force: true });
    },
  };
}
