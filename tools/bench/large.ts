import fs from 'node:fs/promises';
import path from 'node:path';
import { buildPanorama, closeThreads, type Rig } from '@tawny/pipeline';

/** Builds the frames of a folder at 16384 x 8192 in a process of its own and prints how long it took and how much memory it had at most. */
const [folder, width] = process.argv.slice(2);
const rig = JSON.parse(await fs.readFile(path.join(folder, 'rig.json'), 'utf8')) as Rig;
const names = (await fs.readdir(folder)).filter((n) => n.endsWith('.jpg')).sort();
const started = Date.now();
const built = await buildPanorama({
  files: names.map((name) => ({ name, path: path.join(folder, name) })),
  rig,
  width: Number(width),
});
if (!built.full) throw new Error('a panorama this wide is to be written by strips');
const out = path.join(folder, 'large.exr');
await built.full.write(out, { latlong: true }, 'rec709');
await closeThreads();
process.stdout.write(
  JSON.stringify({
    seconds: (Date.now() - started) / 1000,
    peakMiB: process.resourceUsage().maxRSS / 1024,
    fileMiB: (await fs.stat(out)).size / 1024 / 1024,
  }),
);
