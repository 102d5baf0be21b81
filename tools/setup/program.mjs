// Turns the TypeScript of server, workers and command line into a few JavaScript files when it changed: what runs often then starts in a third of the time.
import { randomUUID } from 'node:crypto';
import fs from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import { root } from './modules.mjs';
import { hashOfSources } from './sources.mjs';

const PACKAGES = ['core', 'formats', 'contract', 'simset', 'pipeline'];
const SOURCES = [
  ...PACKAGES.map((p) => `packages/${p}/src`),
  'apps/server/src',
  'apps/cli/src',
  'package-lock.json',
  'tools/setup/program.mjs',
];
/**
 * What is started, by name; `bootstrap` and `decodeProcess` are looked for beside the code that starts them. Programs of one group share files; what
 * starts most often shares none, and holds but what it uses.
 */
const GROUPS = [
  {
    server: 'apps/server/src/main.ts',
    worker: 'apps/server/src/worker.ts',
    seed: 'apps/server/src/demo/main.ts',
    logDay: 'apps/server/src/demo/logDayMain.ts',
    upkeep: 'apps/server/src/upkeep/main.ts',
  },
  { cli: 'apps/cli/src/main.ts' },
  { decodeProcess: 'apps/server/src/decode/process.ts' },
  { bootstrap: 'packages/pipeline/src/threads/thread.ts' },
];
/** Packages of which a program takes in what it uses: read file by file they are most of the time that it takes to start. */
const TAKEN_IN = ['astronomy-engine', 'commander', 'exifr', 'luxon', 'magvar', 'ml-matrix', 'papaparse', 'quickselect', 'three', 'xmlbuilder2', 'zod']; // prettier-ignore
/** What was written to be required asks for the modules of node in that way. */
const REQUIRE = "import { createRequire as requireOf } from 'node:module'; const require = requireOf(import.meta.url);";
const folder = path.join(root, 'dist', 'program');

/** Packages that stay files of their own: native ones, and those that look for files beside themselves. */
function leftOut() {
  const manifests = [...PACKAGES.map((p) => `packages/${p}`), 'apps/server', 'apps/cli'];
  const names = manifests.flatMap((m) =>
    Object.keys(JSON.parse(fs.readFileSync(path.join(root, m, 'package.json'), 'utf8')).dependencies ?? {}),
  );
  return [...new Set(names)].filter((n) => !n.startsWith('@tawny/') && !TAKEN_IN.includes(n));
}
/** Programs of before are kept this long: one may still be running. */
const KEPT_MS = 7 * 24 * 3600 * 1000;

function build(target) {
  // Not before the packages are installed.
  const { buildSync } = createRequire(import.meta.url)('esbuild');
  const made = path.join(folder, `making-${randomUUID()}`);
  for (const entries of GROUPS)
    buildSync({
      absWorkingDir: root,
      entryPoints: Object.entries(entries).map(([out, file]) => ({ in: file, out })),
      outdir: made,
      outExtension: { '.js': '.mjs' },
      alias: Object.fromEntries(PACKAGES.map((p) => [`@tawny/${p}`, path.join(root, 'packages', p, 'src')])),
      external: leftOut(),
      banner: { js: REQUIRE },
      bundle: true,
      splitting: true,
      format: 'esm',
      platform: 'node',
      target: 'node20',
      keepNames: true,
      sourcemap: true,
      logLevel: 'error',
    });
  try {
    fs.renameSync(made, target);
  } catch (error) {
    // Somebody else was first.
    fs.rmSync(made, { recursive: true, force: true });
    if (!fs.existsSync(target)) throw error;
  }
  for (const name of fs.readdirSync(folder)) {
    const at = path.join(folder, name);
    if (at !== target && Date.now() - fs.statSync(at).mtimeMs > KEPT_MS)
      fs.rmSync(at, { recursive: true, force: true });
  }
}

/** The folder of the programs as their sources are now, built when they changed. */
export function programs() {
  const target = path.join(folder, hashOfSources(SOURCES).slice(0, 16));
  if (!fs.existsSync(target)) {
    fs.mkdirSync(folder, { recursive: true });
    build(target);
  }
  return target;
}

/** Arguments for node that start one of the programs. Source maps lie beside them and are not read: that takes longer than everything else of a start. */
export const program = (name) => [path.join(programs(), `${name}.mjs`)];
