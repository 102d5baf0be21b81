// Lets one process at a time do a piece of work; the others wait for it.
import fs from 'node:fs';
import { setTimeout as pause } from 'node:timers/promises';
import { holderOf, thisProcess } from './holder.mjs';

const LOOK_EVERY_MS = 300;

/** Takes a file that nobody holds. */
function take(file) {
  try {
    fs.writeFileSync(file, thisProcess(), { flag: 'wx' });
    return true;
  } catch (error) {
    if (error.code !== 'EEXIST') throw error;
    return false;
  }
}

/** Does the work when no other process does any under the same file. What a process that was ended left behind is taken over. @param say hears of waiting, once */
export async function alone(file, work, say) {
  let said = false;
  while (!take(file)) {
    const holder = holderOf(file);
    if (holder !== null && !said) {
      say(`Waiting for process ${holder} ...`);
      said = true;
    }
    await pause(LOOK_EVERY_MS);
    // Seen twice without a holder: it was not just being written.
    if (holder === null && holderOf(file) === null) fs.rmSync(file, { force: true });
  }
  try {
    return await work();
  } finally {
    fs.rmSync(file, { force: true });
  }
}
