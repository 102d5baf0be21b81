// A process that decodes what came from outside, one file at a time, with no more rights than reading takes.
import { closeThreads } from '@tawny/pipeline';
import { FileProblem } from '@tawny/formats';
import { taskOf, type DecodeTask } from './tasks';

export interface Order {
  id: number;
  task: DecodeTask;
  args: unknown[];
}

/** Errors cross between processes as what they are made of. */
export type Told =
  | { id: number; value: unknown }
  | { id: number; file: { code: FileProblem['code']; file: string; detail: string } }
  | { id: number; range: string }
  | { id: number; failed: string };

function toldError(id: number, error: unknown): Told {
  if (error instanceof FileProblem) return { id, file: { code: error.code, file: error.file, detail: error.detail } };
  if (error instanceof RangeError && !/call stack|array length|allocation/i.test(error.message))
    return { id, range: error.message };
  return { id, failed: error instanceof Error ? (error.stack ?? error.message) : String(error) };
}

const user = Number(process.env.TAWNY_DECODER_USER ?? NaN);
if (Number.isInteger(user) && process.getuid?.() === 0) {
  process.setgroups?.([]);
  process.setgid?.(user);
  process.setuid?.(user);
}

process.on('message', (order: Order) => {
  taskOf(order.task)(...order.args)
    .then(
      (value): Told => ({ id: order.id, value }),
      (error: unknown) => toldError(order.id, error),
    )
    .then((told) => {
      // The server may have ended meanwhile, or be ending: then nobody waits for it.
      if (process.connected) process.send?.(told, undefined, undefined, () => undefined);
    });
});
// The server is gone: nobody is there to decode for.
process.on('disconnect', () => void closeThreads().then(() => process.exit(0)));
process.send?.('ready', undefined, undefined, () => undefined);
