import { spawnSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';

const root = path.resolve(__dirname, '../../../..');

/** The command line as a process of its own, and a folder that is gone when the tests of a file are over. */
export function commandLine() {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-cli-'));
  afterAll(() => fs.rmSync(folder, { recursive: true }));
  const tawny = (...args: string[]) => {
    const run = spawnSync(process.execPath, [path.join(root, 'tools/tawny.mjs'), ...args], {
      encoding: 'utf8',
      cwd: root,
      env: { ...process.env, TAWNY_CACHE: path.join(folder, 'cache') },
    });
    return { code: run.status, out: run.stdout, err: run.stderr, json: () => JSON.parse(run.stdout) };
  };
  return { folder, tawny };
}
