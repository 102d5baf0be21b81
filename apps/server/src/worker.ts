import { randomUUID } from 'node:crypto';
import os from 'node:os';
import { pino } from 'pino';
import { closeThreads } from '@tawny/pipeline';
import { readConfig } from './config';
import { openWhenThere } from './db/openWhenThere';
import { FolderStore } from './files/store';
import { jobHandlers } from './composition/jobHandlers';
import { startRunner } from './jobs/runner';
import { collect } from './upkeep/collect';

const TIDY_MS = 3600_000;
/** Work in the background lets answers and uploads go first. */
const NICE = 10;
os.setPriority(NICE);
const config = readConfig();
const log = pino({ level: config.logLevel, name: 'worker' });
const db = await openWhenThere(config.databaseUrl, log);
const worker = `${os.hostname()}:${process.pid}:${randomUUID().slice(0, 8)}`;
const runner = startRunner({
  db,
  files: new FolderStore(config.filesFolder),
  handlers: jobHandlers(config),
  log,
  worker,
  leaseMs: config.leaseMs,
});
const tidying = setInterval(() => void tidy(), TIDY_MS);
log.info({ worker }, 'worker ready');

/** What nothing refers to goes after a day. Another worker may be at it as well: a file that is gone is gone. */
async function tidy(): Promise<void> {
  try {
    const removed = await collect(db, config.filesFolder);
    if (removed.files > 0) log.info(removed, 'files that nothing refers to were removed');
  } catch (error) {
    log.warn({ err: error }, 'the store could not be tidied; trying again in an hour');
  }
}

async function stop(): Promise<void> {
  clearInterval(tidying);
  await runner.stop();
  await closeThreads();
  await db.destroy();
  process.exit(0);
}
process.once('SIGINT', () => void stop());
process.once('SIGTERM', () => void stop());
// Whoever started it is gone: nobody would stop it any more.
process.once('disconnect', () => void stop());
