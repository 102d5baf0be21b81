import { pino } from 'pino';
import { closeThreads } from '@tawny/pipeline';
import { readConfig } from './config';
import { openDatabase } from './db/dataSource';
import { FolderStore } from './files/store';
import { JOB_HANDLERS } from './jobs/handlers';
import { openQueue } from './jobs/queue';
import { recoverJobs, startRunner } from './jobs/runner';

const RECOVER_EVERY_MS = 15000;

const config = readConfig();
const log = pino({ level: config.logLevel, name: 'worker' });
const db = await openDatabase(config.databaseUrl);
const boss = await openQueue(config.databaseUrl);
await startRunner(db, boss, new FolderStore(config.filesFolder), JOB_HANDLERS, log);
const recover = () =>
  recoverJobs(db, boss).then(
    (n) => n > 0 && log.warn({ jobs: n }, 'jobs of a lost worker queued again'),
    (error: unknown) => log.error({ err: error }, 'recovery failed'),
  );
await recover();
const timer = setInterval(() => void recover(), RECOVER_EVERY_MS);
log.info('worker ready');

async function stop(): Promise<void> {
  clearInterval(timer);
  await boss.stop({ graceful: false, wait: true });
  await closeThreads();
  await db.destroy();
  process.exit(0);
}
process.once('SIGINT', () => void stop());
process.once('SIGTERM', () => void stop());
