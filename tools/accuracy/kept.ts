import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';

const { hashOfSources } = (await import('../setup/sources.mjs' as string)) as {
  hashOfSources(sources: string[]): string;
};
/** What figures come from: when it changes nothing that was kept is used. */
const SOURCES = [
  ...['core', 'formats', 'pipeline', 'simset'].map((p) => `packages/${p}/src`),
  'packages/formats/tests/support',
  'tools/accuracy',
  'package-lock.json',
];

/**
 * Part of a section that takes long, kept until the sources change: a run that was stopped goes on from there.
 * @param name file name of the part
 */
export async function kept<T>(section: string, name: string, measure: () => Promise<T>): Promise<T> {
  const folder = path.join(os.tmpdir(), `tawny-accuracy-${section}-${hashOfSources(SOURCES).slice(0, 16)}`);
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
