import os from 'node:os';
import { fileURLToPath } from 'node:url';
import { Piscina } from 'piscina';
import { FileProblem } from '@tawny/formats';
import type { RunControl } from '../progress';
import type { TaskAnswer, TaskMap } from './tasks';

let pool: Piscina | null = null;

/** Threads that share pixels with the caller; one pool a process, as many threads as cores (four at most). */
export const THREADS = Math.max(1, Math.min(4, os.availableParallelism()));

/** Runs a named task in a worker thread. Rejects with the task's own error, or when the signal fires. */
export async function runInThread<K extends keyof TaskMap>(
  task: K,
  input: TaskMap[K]['input'],
  control: RunControl = {},
): Promise<TaskMap[K]['output']> {
  pool ??= new Piscina({
    filename: fileURLToPath(new URL('./bootstrap.mjs', import.meta.url)),
    minThreads: 0,
    maxThreads: THREADS,
    idleTimeout: 20000,
    execArgv: [],
  });
  const answer: TaskAnswer<TaskMap[K]['output']> = await pool.run({ task, input }, { signal: control.signal });
  if ('problem' in answer) throw new FileProblem(answer.problem.code, answer.problem.file, answer.problem.detail);
  return answer.output;
}

/** What comes next runs in new threads; those of before end with what they have under way, and the frames that they decoded go with them. */
export function renewThreads(): void {
  const before = pool;
  pool = null;
  void before?.close();
}

/** Ends the threads; call before a process should exit. */
export async function closeThreads(): Promise<void> {
  const closing = pool;
  pool = null;
  await closing?.destroy();
}
