// The command line: npm run -s tawny -- VERB ... --json
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { ensureModules, root } from './setup/modules.mjs';
import { UPKEEP, upkeep } from './upkeep.mjs';

ensureModules();
const [verb, ...args] = process.argv.slice(2);
if (UPKEEP.includes(verb))
  process.exit(
    await upkeep(verb, args).catch((error) => {
      console.error(`tawny: ${error.message}`);
      return 1;
    }),
  );
const run = spawnSync(
  process.execPath,
  ['--import', 'tsx', path.join(root, 'apps/cli/src/main.ts'), ...process.argv.slice(2)],
  { stdio: 'inherit' },
);
process.exit(run.status ?? 1);
