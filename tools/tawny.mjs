// The command line: npm run -s tawny -- VERB ... --json
import { spawnSync } from 'node:child_process';
import { ensureModules } from './setup/modules.mjs';
import { program } from './setup/program.mjs';
import { UPKEEP, upkeep } from './upkeep.mjs';

await ensureModules();
const [verb, ...args] = process.argv.slice(2);
if (UPKEEP.includes(verb))
  process.exit(
    await upkeep(verb, args).catch((error) => {
      console.error(`tawny: ${error.message}`);
      return 1;
    }),
  );
const run = spawnSync(process.execPath, [...program('cli'), ...process.argv.slice(2)], { stdio: 'inherit' });
process.exit(run.status ?? 1);
