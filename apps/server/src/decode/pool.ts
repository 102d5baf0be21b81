import { fork, type ChildProcess } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Logger } from 'pino';
import { FileProblem } from '@tawny/formats';
import type { Order, Told } from './process';
import type { Decoder, DecodeTask, DecodeTasks } from './tasks';

export interface DecoderLimits {
  processes: number;
  /** A file that takes longer is given up. */
  taskMs: number;
  /** Resident memory at which a process is ended, MiB. */
  memoryMb: number;
}

export const DECODER_LIMITS: DecoderLimits = { processes: 2, taskMs: 60_000, memoryMb: 3072 };

const LOOK_MS = 100;
const NOBODY = 65534;
/** Below the server's own, so that answers come first, and above the workers': who uploads waits for it. */
const NICE = 5;
const ENTRY = fileURLToPath(new URL('./decodeProcess.mjs', import.meta.url));
const PAGE_BYTES = 4096;
const NOT_AS_IT_SHOULD = ': it is damaged, or far larger than it should be';

interface Waiting {
  task: DecodeTask;
  args: unknown[];
  /** The file that is named when the process is lost over it. */
  name: string;
  resolve: (value: unknown) => void;
  reject: (error: unknown) => void;
}

/** Name of the file that a task is about, for messages. */
function nameIn(args: readonly unknown[]): string {
  if (typeof args[0] === 'string') return typeof args[1] === 'string' ? args[1] : path.basename(args[0]);
  for (const a of args.flat()) if (a instanceof Object && 'name' in a) return String(a.name);
  return 'the picture';
}

/** Resident memory of a process in MiB; 0 where the platform does not tell. */
function residentMb(pid: number): number {
  try {
    return (Number(fs.readFileSync(`/proc/${pid}/statm`, 'utf8').split(' ')[1]) * PAGE_BYTES) / (1 << 20);
  } catch {
    return 0;
  }
}

/** Whether somebody without rights gets to a folder. */
function openToAll(folder: string): boolean {
  for (let at = path.resolve(folder); ; at = path.dirname(at)) {
    if ((fs.statSync(at).mode & 0o001) === 0) return false;
    if (at === path.dirname(at)) return true;
  }
}

/**
 * Decodes in processes of their own with limits of time and memory, one file at a time in each: whatever a file does to its
 * decoder, the server goes on, and the file is refused by name.
 */
export class DecoderPool implements Decoder {
  private readonly waiting: Waiting[] = [];
  private readonly members = new Set<Member>();
  private closed = false;

  constructor(
    private readonly filesFolder: string,
    private readonly log: Logger,
    private readonly limits: DecoderLimits = DECODER_LIMITS,
  ) {
    // The first upload need not wait for a start.
    this.add();
  }

  run<K extends DecodeTask>(
    task: K,
    ...args: Parameters<DecodeTasks[K]>
  ): Promise<Awaited<ReturnType<DecodeTasks[K]>>> {
    return new Promise<unknown>((resolve, reject) => {
      this.waiting.push({ task, args, name: nameIn(args), resolve, reject });
      this.next();
    }) as Promise<Awaited<ReturnType<DecodeTasks[K]>>>;
  }

  /** Ends the processes; what is being decoded is given up. */
  close(): void {
    this.closed = true;
    for (const member of this.members) member.end();
  }

  private next(): void {
    if (this.closed || this.waiting.length === 0) return;
    const idle = [...this.members].find((m) => !m.busy);
    if (idle) idle.take(this.waiting.shift()!);
    else if (this.members.size < this.limits.processes) {
      this.add();
      this.next();
    }
  }

  private add(): void {
    const member = new Member(this.start(), this.limits, this.log, {
      free: () => this.next(),
      gone: () => {
        this.members.delete(member);
        this.next();
      },
    });
    this.members.add(member);
  }

  private start(): ChildProcess {
    // Without the server's address of the database.
    const { TAWNY_DATABASE_URL: _secret, ...env } = process.env;
    const drop = process.getuid?.() === 0 && openToAll(this.filesFolder);
    return fork(ENTRY, {
      execArgv: [`--max-old-space-size=${Math.floor(this.limits.memoryMb / 2)}`],
      // Who has no rights keeps its own renders of the stand-ins' set.
      env: drop
        ? { ...env, TAWNY_DECODER_USER: String(NOBODY), TAWNY_CACHE: path.join(os.tmpdir(), `tawny-cache-${NOBODY}`) }
        : env,
      serialization: 'advanced',
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    });
  }
}

/** One process and what it is at. */
class Member {
  private current: Waiting | null = null;
  private ready = false;
  private why: string | null = null;
  private timer: NodeJS.Timeout | undefined;
  private started = 0;

  constructor(
    private readonly child: ChildProcess,
    private readonly limits: DecoderLimits,
    private readonly log: Logger,
    private readonly on: { free: () => void; gone: () => void },
  ) {
    if (child.pid !== undefined) os.setPriority(child.pid, NICE);
    child.on('message', (told: Told | 'ready') => this.hear(told));
    child.on('error', (error) => log.error({ err: error }, 'a decoder cannot be started'));
    child.once('close', (code, signal) => this.lost(code, signal));
  }

  get busy(): boolean {
    return this.current !== null;
  }

  take(waiting: Waiting): void {
    this.current = waiting;
    if (this.ready) this.send();
  }

  end(): void {
    this.child.kill('SIGKILL');
  }

  private send(): void {
    const { task, args } = this.current!;
    this.started = performance.now();
    this.timer = setInterval(() => this.look(), LOOK_MS);
    const order: Order = { id: 0, task, args };
    this.child.send(order);
  }

  private look(): void {
    const { taskMs, memoryMb } = this.limits;
    if (performance.now() - this.started > taskMs)
      this.why = `takes longer than ${Math.round(taskMs / 1000)} s: the machine is busy (try again), or the file is damaged or far larger than it should be`;
    else if (residentMb(this.child.pid!) > memoryMb)
      this.why = `needs more than ${memoryMb} MiB to decode${NOT_AS_IT_SHOULD}`;
    else return;
    this.end();
  }

  private hear(told: Told | 'ready'): void {
    if (told === 'ready') {
      this.ready = true;
      if (this.current) this.send();
      return;
    }
    clearInterval(this.timer);
    const { resolve, reject } = this.current!;
    this.current = null;
    if ('value' in told) resolve(told.value);
    else if ('file' in told) reject(new FileProblem(told.file.code, told.file.file, told.file.detail));
    else if ('range' in told) reject(new RangeError(told.range));
    else reject(new Error(`a decoder failed: ${told.failed}`));
    this.on.free();
  }

  private lost(code: number | null, signal: string | null): void {
    clearInterval(this.timer);
    const lost = this.current;
    this.current = null;
    if (lost && !this.ready)
      lost.reject(new Error(`a decoder did not start (${signal ?? code}); its messages are above`));
    else if (lost) {
      this.log.warn({ code, signal, file: lost.name, why: this.why }, 'a decoder was lost over a file');
      const why = this.why ?? `ends the program that decodes it${NOT_AS_IT_SHOULD}`;
      lost.reject(new FileProblem('damaged-image', lost.name, why));
    }
    this.on.gone();
  }
}
