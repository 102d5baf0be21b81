// npm run demo: everything from a fresh clone to a usable page with the demo data, on loopback.
import fs from 'node:fs';
import path from 'node:path';
import { ensureDebian } from './setup/debian.mjs';
import { ensureModules } from './setup/modules.mjs';
import { dataHome, freePort, startPostgres } from './setup/postgres.mjs';
import { logDemoDay, startServices } from './setup/services.mjs';
import { ensureWeb, webFolder } from './setup/web.mjs';

const step = (text) => console.error(`\n== ${text}`);

step('1/5 Debian packages');
ensureDebian(['postgresql', 'ffmpeg', 'libraw-bin']);
step('2/5 npm packages');
ensureModules();
step('3/5 Interface');
ensureWeb();
step('4/5 Database');
const postgres = await startPostgres('demo');
const filesFolder = path.join(dataHome(), 'demo', 'files');
fs.mkdirSync(filesFolder, { recursive: true });
step('5/5 Server and worker');

const wanted = Number(process.env.TAWNY_PORT ?? 8080);
const port = await freePort(wanted).catch(() => freePort());
let services;
let crew;
let stopping = false;
const stop = async (code) => {
  if (stopping) return;
  stopping = true;
  console.error('\nStopping ...');
  crew?.kill();
  await services?.stop();
  postgres.stop();
  process.exit(code);
};
process.on('SIGINT', () => void stop(0));
process.on('SIGTERM', () => void stop(0));
try {
  services = await startServices({
    databaseUrl: postgres.url,
    filesFolder,
    port,
    webFolder,
    demoDate: process.env.TAWNY_DEMO_DATE,
  });
} catch (error) {
  console.error(error.message);
  await stop(1);
}
console.error(
  `\nTawny Sunset is ready:  ${services.base}/\nMade for a phone-sized window (390 x 844) and for a wide one. Ctrl-C stops everything.`,
);
if (process.env.TAWNY_DEMO_DAY !== 'plain') {
  console.error(
    'The shoot day is being logged in the background by the stand-in cameras: about ten minutes the first time, then the day is complete.',
  );
  crew = logDemoDay(services.base);
}
await services.ended;
await stop(1);
