import fs from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import type { RgbImage } from '@tawny/core';
import { readPanorama } from '@tawny/pipeline';

/** Where real panoramas stand beside the project, when they do. */
export const REAL_FOLDER = '../shared/real';
const FOLDER = new URL(`../../${REAL_FOLDER}/`, import.meta.url);

/** Which of them show a sun; those of `WITH_SUN` do. */
const NAMES = ['apartment', 'bridge', 'dawn', 'esplanade', 'forest', 'lab', 'night', 'sunrise'];
const WITH_SUN = ['sunrise'];

/** Real panoramas and what is known of them; none where the folder is not there. */
export async function realPanoramas(): Promise<{ name: string; image: RgbImage; sun: boolean }[]> {
  const there = await fs.stat(FOLDER).catch((e: NodeJS.ErrnoException) => {
    if (e.code === 'ENOENT') return null;
    throw e;
  });
  if (!there) return [];
  return Promise.all(
    NAMES.map(async (name) => ({
      name,
      image: (await readPanorama(fileURLToPath(new URL(`${name}.exr`, FOLDER)))).image,
      sun: WITH_SUN.includes(name),
    })),
  );
}
