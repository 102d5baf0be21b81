import { createHash, randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import type { Pixels, PlateCamera, RgbImage } from '@tawny/core';
import type { SetPoint } from '@tawny/simset';
import { mapLimited, type RunControl } from '../progress';
import { runInThread, THREADS } from '../threads/pool';
import { sharedFloats } from '../threads/shared';
import type { SetSpec } from './set';

/** Raise when the renderer or a scene changes, so that no stale picture is read. */
const RENDER_VERSION = 7;
/** So much is kept of what was rendered, MiB, unless `TAWNY_CACHE_MIB` says otherwise: a demo day and its plates. */
const KEPT_MIB = 1024;
/** A picture is written in seconds: one that is not whole after this long never will be. */
const PART_MS = 3600_000;
/** What the renderer works in. */
const SET_PIXELS: Pixels = { space: 'rec709', unit: 'cdm2' };
const STRIP_ROWS = 64;

function cacheFolder(): string {
  return process.env.TAWNY_CACHE ?? path.join(os.homedir(), '.cache', 'tawny-sunset', 'sets');
}

/**
 * The set as one point sees it (cd/m2, no sun disc): a north-aligned panorama or, with a plate camera, a plate.
 * Kept in a cache outside the project; a whole file appears at once or not at all.
 */
export async function renderSet(
  spec: SetSpec,
  origin: SetPoint,
  size: { width: number; height: number },
  plate?: PlateCamera,
  control: RunControl = {},
): Promise<RgbImage> {
  const { width, height } = size;
  const key = createHash('sha256')
    .update(JSON.stringify([RENDER_VERSION, spec, origin, size, plate ?? null]))
    .digest('hex')
    .slice(0, 32);
  const folder = cacheFolder();
  const file = path.join(folder, `${key}.f32`);
  const data = sharedFloats(width * height * 3);
  const bytes = Buffer.from(data.buffer);
  const cached = await fs.readFile(file).catch((e: NodeJS.ErrnoException) => {
    if (e.code === 'ENOENT') return null;
    throw e;
  });
  if (cached?.length === bytes.length) {
    cached.copy(bytes);
    await touch(file);
    return { ...SET_PIXELS, width, height, data };
  }
  const strips = Array.from({ length: Math.ceil(height / STRIP_ROWS) }, (_, i) => i * STRIP_ROWS);
  let done = 0;
  await mapLimited(strips, THREADS, control, async (y0) => {
    await runInThread(
      'renderStrip',
      { spec, origin, width, height, plate, y0, y1: Math.min(height, y0 + STRIP_ROWS), pixels: data },
      control,
    );
    control.onProgress?.({ stage: 'Rendering the simulated set', fraction: ++done / strips.length });
  });
  await fs.mkdir(folder, { recursive: true });
  const temporary = `${file}.${randomUUID()}.part`;
  await fs.writeFile(temporary, bytes);
  await fs.rename(temporary, file);
  await trim(folder);
  return { ...SET_PIXELS, width, height, data };
}

/** What is used is kept; another worker may have taken it away meanwhile. */
async function touch(file: string): Promise<void> {
  const now = new Date();
  await fs.utimes(file, now, now).catch((e: NodeJS.ErrnoException) => {
    if (e.code !== 'ENOENT') throw e;
  });
}

/** Keeps the pictures that were used last. Other workers trim the same folder at the same time, so a file may be gone between any two looks at it. */
async function trim(folder: string): Promise<void> {
  const seen = await Promise.all(
    (await fs.readdir(folder)).map(async (name) => {
      const stat = await fs.stat(path.join(folder, name)).catch((e: NodeJS.ErrnoException) => {
        if (e.code === 'ENOENT') return null;
        throw e;
      });
      return stat && { name, at: stat.mtimeMs, size: stat.size };
    }),
  );
  const files = seen.filter((f) => f !== null).sort((a, b) => b.at - a.at);
  let room = 2 ** 20 * Number(process.env.TAWNY_CACHE_MIB ?? KEPT_MIB);
  const old = files.filter((f) => f.name.endsWith('.f32') && (room -= f.size) < 0);
  // What a worker that was killed was writing.
  const left = files.filter((f) => f.name.endsWith('.part') && Date.now() - f.at > PART_MS);
  await Promise.all([...old, ...left].map(({ name }) => fs.rm(path.join(folder, name), { force: true })));
}
