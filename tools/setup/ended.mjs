// Runs a command and waits for its end without keeping others from running meanwhile.
import { spawn } from 'node:child_process';

/** Whether a command ended well. @param options of `spawn` */
export const endedWell = (command, args, options) =>
  new Promise((resolve, reject) => {
    const run = spawn(command, args, options);
    run.once('error', reject);
    run.once('close', (status) => resolve(status === 0));
  });
