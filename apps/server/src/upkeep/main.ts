// tawny backup | restore | doctor: looks after the data of an installation. Started by tools/upkeep.mjs, which knows where they lie.
import path from 'node:path';
import { openDatabase } from '../db/dataSource';
import { backup } from './backup';
import { doctor } from './doctor';
import { restore } from './restore';

const [verb, ...args] = process.argv.slice(2);
const json = args.includes('--json');
const file = args.find((a) => !a.startsWith('--'));
const url = process.env.TAWNY_DATABASE_URL!;
const folder = process.env.TAWNY_FILES!;

const tell = (value: object, words: string) => console.log(json ? JSON.stringify(value) : words);

async function main(): Promise<number> {
  if (verb === 'restore') {
    const made = await restore(url, folder, path.resolve(file!));
    const rows = made.tables.reduce((n, t) => n + t.rows, 0);
    tell(
      { madeAt: made.madeAt, rows, files: made.files.length },
      `Restored ${rows} records and ${made.files.length} files as of ${made.madeAt}`,
    );
    return 0;
  }
  const db = await openDatabase(url);
  try {
    if (verb === 'backup') {
      const made = await backup(db, folder, path.resolve(file!));
      const bytes = made.files.reduce((n, f) => n + f.bytes, 0);
      const rows = made.tables.reduce((n, t) => n + t.rows, 0);
      tell(
        { file: path.resolve(file!), madeAt: made.madeAt, rows, files: made.files.length, bytes },
        `${rows} records and ${made.files.length} files (${(bytes / 2 ** 20).toFixed(0)} MiB) in ${file}`,
      );
      return 0;
    }
    const findings = await doctor(db, folder);
    tell(
      { findings },
      findings.map((f) => `${f.ok ? 'ok      ' : 'TO DO   '}${f.what.padEnd(10)}${f.says}`).join('\n'),
    );
    return findings.every((f) => f.ok) ? 0 : 1;
  } finally {
    await db.destroy();
  }
}

main().then(
  (code) => process.exit(code),
  (error: unknown) => {
    console.error(`tawny: ${error instanceof Error ? error.message : String(error)}`);
    process.exit(1);
  },
);
