// The folder that everything lies in that is not source: stated, with a version in it, and in use by one at a time.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { root } from './modules.mjs';
import { holderOf, thisProcess } from './holder.mjs';

export const asRoot = process.getuid() === 0;

/** What lies where in a data folder; a newer program raises it and knows how to come from the one before. */
export const DATA_VERSION = 1;

const home = () =>
  process.env.TAWNY_HOME ??
  (asRoot ? '/var/lib/tawny-sunset' : path.join(os.homedir(), '.local', 'share', 'tawny-sunset'));

/** Folder of tests and benches: one for each checkout, so that two never share a database. */
export function dataHome() {
  return path.join(home(), createHash('sha256').update(root).digest('hex').slice(0, 10));
}

/** Where a production's data lie unless somebody states otherwise. They do not move with the checkout. */
export const usualData = (name) => path.join(home(), name);

/**
 * Makes a data folder ready, or refuses one that a newer program wrote. Data that an older program hung on the checkout's path are
 * taken over.
 * @throws Error that names the folder
 */
export function openData(folder, olderName) {
  const older = olderName && path.join(dataHome(), olderName);
  if (older && !fs.existsSync(folder) && fs.existsSync(older)) {
    fs.mkdirSync(path.dirname(folder), { recursive: true });
    fs.renameSync(older, folder);
    console.error(`Data of an earlier version were moved from ${older} to ${folder}`);
  }
  fs.mkdirSync(folder, { recursive: true });
  // PostgreSQL runs as somebody else, and so do decoders.
  fs.chmodSync(folder, 0o755);
  const file = path.join(folder, 'version.json');
  if (!fs.existsSync(file)) fs.writeFileSync(file, `${JSON.stringify({ data: DATA_VERSION })}\n`);
  let found;
  try {
    found = JSON.parse(fs.readFileSync(file, 'utf8')).data;
  } catch {
    throw new Error(`${file} is damaged: it should hold {"data": ${DATA_VERSION}}`);
  }
  if (!(found <= DATA_VERSION))
    throw new Error(
      `${folder} was written by a newer version (${found}; this one knows ${DATA_VERSION}): update first`,
    );
  const files = path.join(folder, 'files');
  fs.mkdirSync(files, { recursive: true });
  if (asRoot) spawnSync('chown', ['postgres:', folder]);
  return { files };
}

/** Takes a data folder for this process. @throws Error when another one that is alive has it */
export function hold(folder) {
  const file = path.join(folder, 'in-use.pid');
  const holder = holderOf(file);
  if (holder !== null && holder !== process.pid)
    throw new Error(`${folder} is in use by process ${holder}: stop that one first, or state another --data`);
  fs.writeFileSync(file, thisProcess());
  process.once('exit', () => fs.rmSync(file, { force: true }));
}
