// Exports the interface for the web when its sources changed.
import { spawnSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import zlib from 'node:zlib';
import { root } from './modules.mjs';
import { hashOfSources } from './sources.mjs';

const SOURCES = ['apps/field', 'packages/core', 'packages/contract', 'package-lock.json'];

export const webFolder = path.join(root, 'apps/field/dist');

export function ensureWeb() {
  const wanted = hashOfSources(SOURCES);
  const stamp = path.join(webFolder, '.sources');
  if (fs.existsSync(stamp) && fs.readFileSync(stamp, 'utf8') === wanted) return;
  console.error('Building the interface (about a minute the first time) ...');
  const env = { ...process.env, EXPO_OFFLINE: '1', EXPO_NO_TELEMETRY: '1', CI: '1', NODE_ENV: 'production' };
  const run = spawnSync('npx', ['expo', 'export', '--platform', 'web', '--output-dir', 'dist'], {
    cwd: path.join(root, 'apps/field'),
    env,
    encoding: 'utf8',
  });
  if (run.status !== 0) throw new Error(`expo export failed:\n${run.stdout}${run.stderr}`);
  squeeze();
  fs.writeFileSync(stamp, wanted);
}

/** A squeezed copy beside every text, so that nobody waits for it to be squeezed. */
function squeeze() {
  const texts = fs.readdirSync(webFolder, { recursive: true }).filter((name) => /\.(js|ttf)$/.test(name));
  for (const name of texts) {
    const file = path.join(webFolder, name);
    const whole = fs.readFileSync(file);
    const params = { [zlib.constants.BROTLI_PARAM_QUALITY]: 9 };
    fs.writeFileSync(`${file}.br`, zlib.brotliCompressSync(whole, { params }));
    fs.writeFileSync(`${file}.gz`, zlib.gzipSync(whole, { level: 9 }));
  }
}
