// node tools/run-ts.mjs FILE.ts ARGS: runs a TypeScript file with the project's packages installed.
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { ensureModules, root } from './setup/modules.mjs';

await ensureModules();
const [file, ...args] = process.argv.slice(2);
const run = spawnSync(process.execPath, ['--import', 'tsx', path.join(root, file), ...args], { stdio: 'inherit' });
process.exit(run.status ?? 1);
