// npm start and npm run demo: everything from a fresh clone to a usable page, looked after until Ctrl-C.
import { parseArgs } from 'node:util';
import path from 'node:path';
import { hold, openData, usualData } from './setup/data.mjs';
import { ensureDebian } from './setup/debian.mjs';
import { ensureModules } from './setup/modules.mjs';
import { freePort, startPostgresIn } from './setup/postgres.mjs';
import { logDemoDay, startServices } from './setup/services.mjs';
import { ensureWeb, webFolder } from './setup/web.mjs';

const HELP = `npm start -- [--data FOLDER] [--port N] [--address A] [--hosts NAMES]
npm run demo -- the same, with the demo production

  --data FOLDER   where database, files and password lie (TAWNY_DATA)
  --port N        8080, or the next free one when that is taken and none was stated (TAWNY_PORT)
  --address A     where to listen: 127.0.0.1 (TAWNY_ADDRESS)
  --hosts NAMES   names under which others reach it, with commas (TAWNY_HOSTS)`;

const step = (text) => console.error(`\n== ${text}`);
const number = (text, what) => {
  const value = Number(text);
  if (!Number.isInteger(value) || value < 0 || value > 65535) throw new Error(`${what} is no port: ${text}`);
  return value;
};

function settings() {
  const { values } = parseArgs({
    options: {
      demo: { type: 'boolean', default: false },
      data: { type: 'string' },
      port: { type: 'string' },
      address: { type: 'string' },
      hosts: { type: 'string' },
      help: { type: 'boolean', default: false },
    },
  });
  if (values.help) {
    console.log(HELP);
    process.exit(0);
  }
  const { env } = process;
  const stated = values.port ?? env.TAWNY_PORT;
  const name = values.demo ? 'demo' : 'productions';
  return {
    demo: values.demo,
    data: path.resolve(values.data ?? env.TAWNY_DATA ?? usualData(name)),
    port: stated === undefined ? null : number(stated, '--port'),
    address: values.address ?? env.TAWNY_ADDRESS ?? '127.0.0.1',
    hosts: values.hosts ?? env.TAWNY_HOSTS ?? '',
  };
}

async function serve() {
  const { demo, data, port: wanted, address, hosts } = settings();
  step('1/4 Debian and npm packages');
  await Promise.all([ensureDebian(['postgresql', 'ffmpeg', 'libraw-bin']), ensureModules()]);
  step('2/4 Interface');
  ensureWeb();
  step(`3/4 Database and files in ${data}`);
  const { files } = openData(data, demo ? 'demo' : undefined);
  hold(data);
  const postgres = await startPostgresIn(data);
  step('4/4 Server and worker');
  const port = wanted ?? (await freePort(8080, address).catch(() => freePort(0, address)));
  let services;
  let crew;
  let stopping = false;
  const looking = postgres.lookAfter((text) => console.error(text));
  const stop = async (code) => {
    if (stopping) return;
    stopping = true;
    console.error('\nStopping ...');
    looking.stop();
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
      filesFolder: files,
      port,
      address,
      hosts,
      webFolder,
      demo,
      demoDate: process.env.TAWNY_DEMO_DATE,
    });
  } catch (error) {
    console.error(error.message);
    return stop(1);
  }
  console.error(
    `\nTawny Sunset is ready:  ${services.base}/\nMade for a phone-sized window (390 x 844) and for a wide one. Ctrl-C stops everything.`,
  );
  if (demo && process.env.TAWNY_DEMO_DAY !== 'plain') {
    console.error(
      'The shoot day is being logged in the background by the stand-in cameras: about ten minutes the first time, then the day is complete.',
    );
    crew = logDemoDay(services.base);
  }
  await Promise.race([services.gaveUp, looking.gaveUp]);
  await stop(1);
}

serve().catch((error) => {
  console.error(`\n${error.message}`);
  process.exit(1);
});
