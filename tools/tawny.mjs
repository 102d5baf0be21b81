// The command line: npm run -s tawny -- VERB ... --json
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { ensureModules, root } from './setup/modules.mjs';

ensureModules();
const run = spawnSync(
  process.execPath,
  ['--import', 'tsx', path.join(root, 'apps/cli/src/main.ts'), ...process.argv.slice(2)],
  { stdio: 'inherit' },
);
process.exit(run.status ?? 1);
