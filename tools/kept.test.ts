import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { hashOfCode } from './accuracy/kept';

/** Hash of a module beside another, as they are written. */
async function hashOf(module: string, other: string): Promise<string> {
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-kept-'));
  try {
    await fs.writeFile(path.join(folder, 'other.ts'), other);
    await fs.writeFile(path.join(folder, 'figure.ts'), module);
    return await hashOfCode(path.join(folder, 'figure.ts'));
  } finally {
    await fs.rm(folder, { recursive: true });
  }
}

const FIGURE = `
import { median } from '@tawny/core';
import { half } from './other';
export const figure = () => half(median([1, 2, 4]));`;
const OTHER = 'export const half = (x: number) => x / 2;';

test('a figure stands while the code that makes it stands, wherever it is and whatever else is changed beside it', async () => {
  const before = await hashOf(FIGURE, OTHER);
  expect(await hashOf(`// Says it otherwise.${FIGURE}`, `${OTHER} export const third = (x: number) => x / 3;`)).toBe(
    before,
  );
  expect(await hashOf(FIGURE, OTHER.replace('/ 2', '/ 3'))).not.toBe(before);
  expect(await hashOf(FIGURE.replace(/median/g, 'spreadOfResiduals'), OTHER)).not.toBe(before);
});

test('what threads run counts for who asks for threads, and for nobody else', async () => {
  const alone = await hashOf(`export { THREADS as figure } from '@tawny/pipeline';`, OTHER);
  const asked = await hashOf(`export { checkViews as figure } from '@tawny/pipeline';`, OTHER);
  expect(alone).not.toBe(asked);
});
