import fs from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { closeThreads } from '@tawny/pipeline';
import { commitHere } from '../commit';
import { replaceSections } from '../replaceSections';
import { apiRows, type BenchRow } from './api';
import { growthRows } from './growth';
import { interfaceRows } from './interface';
import { nativeRatios } from './native';
import { paceMs } from './pace';
import { roundRows } from './round';
import { openStage } from './stage';

async function servedRows(): Promise<BenchRow[]> {
  const stage = await openStage();
  try {
    const before = paceMs();
    const rows = [...(await apiRows(stage)), ...(await interfaceRows(stage))];
    const measured = `${before.toFixed(0)} ms before, ${paceMs().toFixed(0)} ms after`;
    return [...rows, { what: 'how fast the machine was meanwhile: a fixed loop of arithmetic', bound: '-', measured }];
  } finally {
    await stage.stop();
  }
}

/** `npm run bench -- interface` measures one section anew and keeps the others of the table. */
const SECTIONS: readonly [string, string, () => Promise<readonly BenchRow[]>][] = [
  ['round', 'A round', roundRows],
  ['native', 'Against a native library', nativeRatios],
  ['interface', 'Server and interface', servedRows],
  ['growth', 'Growth', growthRows],
];
const wanted = process.argv.slice(2);
const unknown = wanted.filter((w) => !SECTIONS.some(([name]) => name === w));
if (unknown.length > 0)
  throw new RangeError(`no section is called ${unknown.join(', ')}: there are ${SECTIONS.map(([n]) => n).join('; ')}`);
// The native library and the browser are needed by the bench alone: they are no part of the demo's set-up.
const { ensureDebian } = (await import('../setup/debian.mjs' as string)) as {
  ensureDebian(names: string[]): Promise<void>;
};
await ensureDebian(['python3-opencv', 'chromium-headless-shell']);
const commit = commitHere();
const parts = [
  '# Bench',
  '',
  'Written by `npm run bench`; do not edit. Two shared cores; wall time varies by a factor of two with what else the machine does.',
  '',
];
try {
  for (const [name, title, measure] of SECTIONS) {
    if (wanted.length > 0 && !wanted.includes(name)) continue;
    process.stderr.write(`${title} ...\n`);
    const rows = await measure();
    for (const r of rows) process.stderr.write(`  ${r.what}: ${r.measured} (${r.bound})\n`);
    const table = rows.map((r) => `| ${r.what} | ${r.bound} | ${r.measured} |`);
    parts.push(`## ${title}`, '', `Measured on ${commit}.`, '', '| what | bound | measured |', '| --- | --- | --- |');
    parts.push(...table, '');
  }
  const target = fileURLToPath(new URL('../../docs/bench.md', import.meta.url));
  const text = parts.join('\n');
  await fs.writeFile(target, wanted.length === 0 ? text : replaceSections(await fs.readFile(target, 'utf8'), text));
} finally {
  await closeThreads();
}
