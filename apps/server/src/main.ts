import { pino } from 'pino';
import { readConfig } from './config';
import { openWhenThere } from './db/openWhenThere';
import { DecoderPool } from './decode/pool';
import { Arriving } from './files/arriving';
import { FolderStore } from './files/store';
import { Uploads } from './files/uploads';
import { finishAnswers } from './http/finish';
import { createApp } from './composition/app';

const config = readConfig();
const log = pino({ level: config.logLevel, name: 'server' });
const db = await openWhenThere(config.databaseUrl, log);
const decoder = new DecoderPool(config.filesFolder, log);
const files = new FolderStore(config.filesFolder);
const arriving = new Arriving(config.filesFolder);
const uploads = new Uploads(files, arriving, config.silentMs);
const app = createApp({ db, files, arriving, uploads, decoder }, log, config);
const server = app.listen(config.port, config.address, () => log.info({ port: config.port }, 'listening'));
// Longer than clients keep an idle connection: one that is closed just as it is used again would look like a broken answer.
server.keepAliveTimeout = 65000;
server.headersTimeout = 66000;
// A sender may be slow; one that is silent is cut off by whoever reads it.
server.requestTimeout = 0;

/** Whoever stops the server waits eight seconds. */
const GRACE_MS = 5000;

async function stop(): Promise<void> {
  await finishAnswers(server, GRACE_MS);
  decoder.close();
  await db.destroy();
  process.exit(0);
}
// Once, though more than one of these come.
let stopping: Promise<void> | undefined;
const stopOnce = () => void (stopping ??= stop());
process.once('SIGINT', stopOnce);
process.once('SIGTERM', stopOnce);
// Whoever started it is gone: nobody would stop it any more.
process.once('disconnect', stopOnce);
