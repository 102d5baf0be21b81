import { randomUUID } from 'node:crypto';
import os from 'node:os';
import { pino } from 'pino';
import { closeThreads } from '@tawny/pipeline';
import { readConfig } from './config';
import { openDatabase } from './db/dataSource';
import { FolderStore } from './files/store';
import { JOB_HANDLERS } from './composition/jobHandlers';
import { startRunner } from './jobs/runner';

const config = readConfig();
const log = pino({ level: config.logLevel, name: 'worker' });
const db = await openDatabase(config.databaseUrl);
const worker = `${os.hostname()}:${process.pid}:${randomUUID().slice(0, 8)}`;
const runner = startRunner({
  db,
  files: new FolderStore(config.filesFolder),
  handlers: JOB_HANDLERS,
  log,
  worker,
  leaseMs: config.leaseMs,
});
log.info({ worker }, 'worker ready');

async function stop(): Promise<void> {
  await runner.stop();
  await closeThreads();
  await db.destroy();
  process.exit(0);
}
process.once('SIGINT', () => void stop());
process.once('SIGTERM', () => void stop());
// Whoever started it is gone: nobody would stop it any more.
process.once('disconnect', () => void stop());
