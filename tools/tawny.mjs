// The command line: npm run -s tawny -- VERB ... --json
import { pathToFileURL } from 'node:url';
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
// It reads the same arguments and says itself how it ended.
await import(pathToFileURL(program('cli')[0]).href);
