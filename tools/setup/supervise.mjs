// Keeps a process running: one that ends is started again, sooner or later, until it cannot be helped.
const MOST = 8;
/** First and longest pause before a start; a process that ran for `wellMs` had started well. */
export const PATIENCE = { firstMs: 500, longestMs: 30_000, wellMs: 60_000 };

/**
 * @param start makes the process
 * @param say tells people, in words
 * @param patience trials that end processes themselves have less
 * @returns the process of now, how to end it, and a promise that resolves when it is given up
 */
export function keepRunning(name, start, say = console.error, { firstMs, longestMs, wellMs } = PATIENCE) {
  let child;
  let stopping = false;
  let timer;
  let inARow = 0;
  let giveUp;
  const gaveUp = new Promise((resolve) => (giveUp = resolve));
  const run = () => {
    const since = Date.now();
    child = start();
    child.once('exit', (code, signal) => {
      if (stopping) return;
      inARow = Date.now() - since > wellMs ? 1 : inARow + 1;
      const how = signal ?? `code ${code}`;
      if (inARow >= MOST) {
        say(`The ${name} ended ${inARow} times in a row (${how}) and is given up. Its messages are above.`);
        return giveUp(name);
      }
      const pause = Math.min(longestMs, firstMs * 2 ** (inARow - 1));
      say(`The ${name} ended (${how}); it is started again in ${pause / 1000} s.`);
      timer = setTimeout(run, pause);
    });
  };
  run();
  return {
    gaveUp,
    get pid() {
      return child.pid;
    },
    get ended() {
      return child.exitCode !== null || child.signalCode !== null;
    },
    stop: () => {
      stopping = true;
      clearTimeout(timer);
      if (child.exitCode !== null || child.signalCode !== null) return Promise.resolve();
      return new Promise((resolve) => {
        child.once('exit', resolve);
        child.kill('SIGTERM');
        setTimeout(() => child.kill('SIGKILL'), 8000).unref();
      });
    },
  };
}
