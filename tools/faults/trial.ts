import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';

interface Watched {
  pid: number;
}

/** An installation of the trial's own, looked after as a real one is. */
export interface Trial {
  services: { base: string; server: Watched; worker: Watched; stop: () => Promise<void> };
  postgres: { url: string; folder: string };
  filesFolder: string;
  stop: () => Promise<void>;
}

/** @param filesFolder where its store lies; a new folder when left out */
export async function openTrial(name: string, filesFolder?: string): Promise<Trial> {
  // A kill is nobody's bad start: processes are started again at once, however often.
  process.env.TAWNY_WELL_MS = '1';
  const { startPostgres, freePort, dataHome } = (await import('../setup/postgres.mjs' as string)) as {
    startPostgres: (
      name: string,
    ) => Promise<{ url: string; stop: () => void; lookAfter: (say: (text: string) => void) => () => void }>;
    freePort: () => Promise<number>;
    dataHome: () => string;
  };
  const { startServices } = (await import('../setup/services.mjs' as string)) as {
    startServices: (o: object) => Promise<Trial['services']>;
  };
  const folder = path.join(dataHome(), name);
  fs.rmSync(folder, { recursive: true, force: true });
  const postgres = await startPostgres(name);
  const quiet = postgres.lookAfter(() => undefined);
  const files = filesFolder ?? fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-faults-'));
  fs.chmodSync(files, 0o755);
  const services = await startServices({
    databaseUrl: postgres.url,
    filesFolder: files,
    port: await freePort(),
    demoDate: '2026-10-14',
    logLevel: process.env.TAWNY_TRIAL_LOG ?? 'silent',
    say: () => undefined,
  });
  return {
    services,
    postgres: { url: postgres.url, folder },
    filesFolder: files,
    stop: async () => {
      quiet();
      await services.stop();
      postgres.stop();
      if (!filesFolder) fs.rmSync(files, { recursive: true, force: true });
    },
  };
}
