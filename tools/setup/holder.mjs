// Which process holds something, in a file that it leaves behind when it is ended.
import fs from 'node:fs';

/** When a process started, in ticks since the machine did; null when there is none. */
function startOf(pid) {
  try {
    return fs.readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ')[19];
  } catch (error) {
    if (error.code === 'ENOENT' || error.code === 'ESRCH') return null;
    throw error;
  }
}

/** What this process writes into such a file. */
export const thisProcess = () => `${process.pid} ${startOf(process.pid)}`;

/** Number of the process that holds a file; null when there is no file, or none of that process any more. */
export function holderOf(file) {
  const [pid, since] = fs.existsSync(file) ? fs.readFileSync(file, 'utf8').split(' ') : [];
  // A number is given again after a restart of the machine: the process must also have started when the holder did.
  return pid && startOf(pid) !== null && startOf(pid) === since ? Number(pid) : null;
}
