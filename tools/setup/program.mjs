// Turns the TypeScript of server, workers and command line into a few JavaScript files when it changed: what runs often then starts in a third of the time.
import { randomUUID } from 'node:crypto';
import fs from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import { root } from './modules.mjs';
import { hashOfSources } from './sources.mjs';

const PACKAGES = ['core', 'formats', 'contract', 'simset', 'pipeline'];
const SOURCES = [...PACKAGES.map((p) => `packages/${p}/src`), 'apps/server/src', 'apps/cli/src', 'package-lock.json'];
/** What is started, by name; `bootstrap` and `decodeProcess` are looked for beside the code that starts them. */
const ENTRIES = {
  cli: 'apps/cli/src/main.ts',
  server: 'apps/server/src/main.ts',
  worker: 'apps/server/src/worker.ts',
  seed: 'apps/server/src/demo/main.ts',
  logDay: 'apps/server/src/demo/logDayMain.ts',
  upkeep: 'apps/server/src/upkeep/main.ts',
  decodeProcess: 'apps/server/src/decode/process.ts',
  bootstrap: 'packages/pipeline/src/threads/thread.ts',
};
const folder = path.join(root, 'dist', 'program');
/** Programs of before are kept this long: one may still be running. */
const KEPT_MS = 7 * 24 * 3600 * 1000;

function build(target) {
  // Not before the packages are installed.
  const { buildSync } = createRequire(import.meta.url)('esbuild');
  const made = path.join(folder, `making-${randomUUID()}`);
  buildSync({
    absWorkingDir: root,
    entryPoints: Object.entries(ENTRIES).map(([out, file]) => ({ in: file, out })),
    outdir: made,
    outExtension: { '.js': '.mjs' },
    alias: Object.fromEntries(PACKAGES.map((p) => [`@tawny/${p}`, path.join(root, 'packages', p, 'src')])),
    packages: 'external',
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

/** Arguments for node that start one of the programs. */
export const program = (name) => ['--enable-source-maps', path.join(programs(), `${name}.mjs`)];
