// tawny backup FILE | restore FILE | doctor: on the data folder of an installation, while it runs or not.
import { spawnSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { openData, usualData } from './setup/data.mjs';
import { ensureDebian } from './setup/debian.mjs';
import { joinPostgresIn, startPostgresIn } from './setup/postgres.mjs';
import { program } from './setup/program.mjs';

const HELP = {
  backup: 'tawny backup FILE.tar [--data FOLDER] [--demo] [--json]: everything in one file, while work goes on',
  restore: 'tawny restore FILE.tar --data FOLDER [--json]: into a folder that does not exist yet, to the same ids',
  doctor: 'tawny doctor [--data FOLDER] [--demo] [--json]: looks at database, files, queue, disk, clock and tools',
};

export const UPKEEP = Object.keys(HELP);

export async function upkeep(verb, argv) {
  const { values, positionals } = parseArgs({
    args: argv,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      demo: { type: 'boolean', default: false },
      json: { type: 'boolean', default: false },
      help: { type: 'boolean', default: false },
    },
  });
  if (values.help) {
    console.log(HELP[verb]);
    return 0;
  }
  if (verb !== 'doctor' && positionals.length !== 1) throw new Error(HELP[verb]);
  const data = path.resolve(values.data ?? process.env.TAWNY_DATA ?? usualData(values.demo ? 'demo' : 'productions'));
  if (verb === 'restore') {
    if (!fs.existsSync(positionals[0])) throw new Error(`there is no file ${positionals[0]}`);
    if (fs.existsSync(data)) throw new Error(`${data} is there already: a backup is restored where nothing is yet`);
  } else if (!fs.existsSync(path.join(data, 'version.json')))
    throw new Error(`${data} holds no data of this application: state it with --data`);
  await ensureDebian(['postgresql']);
  const { files } = openData(data);
  const joined = joinPostgresIn(data);
  const postgres = joined ?? (await startPostgresIn(data));
  let code = 1;
  try {
    code = spawnSync(
      process.execPath,
      [
        ...program('upkeep'),
        verb, ...positionals, ...(values.json ? ['--json'] : []),
      ],
      {
        stdio: 'inherit',
        env: { ...process.env, TAWNY_DATABASE_URL: postgres.url, TAWNY_FILES: files },
      },
    ).status ?? 1; // prettier-ignore
  } finally {
    postgres.stop();
    // Half a restore is none.
    if (verb === 'restore' && code !== 0) fs.rmSync(data, { recursive: true, force: true });
  }
  return code;
}
