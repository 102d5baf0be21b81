import { createHash } from 'node:crypto';
import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { build, type Plugin } from 'esbuild';

const ROOT = fileURLToPath(new URL('../..', import.meta.url));
/** What threads run is asked for by name, not imported. */
const THREADS = path.join(ROOT, 'packages/pipeline/src/threads/thread.ts');

/** What is installed is one with the lockfile; of our own packages only what is used counts. */
const ownCode: Plugin = {
  name: 'own code',
  setup(hooks) {
    hooks.onResolve({ filter: /^[^./]/ }, ({ path: name, kind }) => {
      if (kind === 'entry-point') return undefined;
      const own = /^@tawny\/([a-z]+)(?:\/(.+))?$/.exec(name);
      return own
        ? { path: path.join(ROOT, 'packages', own[1], 'src', `${own[2] ?? 'index'}.ts`), sideEffects: false }
        : { path: name, external: true, sideEffects: false };
    });
    // How parts are kept changes no figure.
    hooks.onResolve({ filter: /\/kept$/ }, ({ path: name }) => ({ path: name, external: true }));
  },
};

/**
 * Hash of the code that a module runs: its own and what it uses of others, without comments. A figure stands as long as this is the same.
 * @param module path of a TypeScript module
 */
export async function hashOfCode(module: string): Promise<string> {
  const bundled = async (file: string) =>
    build({
      ...{ entryPoints: [file], absWorkingDir: ROOT, bundle: true, write: false, metafile: true },
      ...{ format: 'esm', platform: 'node', minifyWhitespace: true, plugins: [ownCode], logLevel: 'error' },
    });
  const own = await bundled(module);
  const threaded = Object.entries(Object.values(own.metafile.outputs)[0].inputs).some(
    ([file, { bytesInOutput }]) => file.endsWith('threads/pool.ts') && bytesInOutput > 0,
  );
  const hash = createHash('sha256').update(await fs.readFile(path.join(ROOT, 'package-lock.json')));
  for (const made of threaded ? [own, await bundled(THREADS)] : [own]) hash.update(made.outputFiles[0].contents);
  return hash.digest('hex');
}

const hashes = new Map<string, Promise<string>>();

/**
 * A part of a section that takes long, kept until the code changes that makes it: a run that was stopped goes on from there, and one of a later commit
 * counts what that commit may have changed.
 * @param module URL of the module whose figure it is
 * @param name file name of the part
 */
export async function kept<T>(module: string, section: string, name: string, measure: () => Promise<T>): Promise<T> {
  const hash = hashes.get(module) ?? hashOfCode(fileURLToPath(module));
  hashes.set(module, hash);
  const folder = path.join(os.tmpdir(), `tawny-accuracy-${section}-${(await hash).slice(0, 16)}`);
  const file = path.join(folder, `${name.replace(/\W+/g, '-')}.json`);
  const before = await fs.readFile(file, 'utf8').catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return null;
    throw error;
  });
  if (before !== null) return JSON.parse(before) as T;
  const measured = await measure();
  await fs.mkdir(folder, { recursive: true });
  await fs.writeFile(`${file}.part`, JSON.stringify(measured));
  await fs.rename(`${file}.part`, file);
  return measured;
}
