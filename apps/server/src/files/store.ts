import { createHash, randomUUID } from 'node:crypto';
import { createReadStream } from 'node:fs';
import fs from 'node:fs/promises';
import path from 'node:path';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';

/** Immutable files addressed by their SHA-256. The database knows hashes only. */
export interface FileStore {
  /** Stores bytes and returns their hash; storing the same twice is one file. */
  put(bytes: Uint8Array): Promise<string>;
  /** Streams into a place of waiting: `keep` moves it into the store, `discard` forgets it. */
  receive(stream: Readable): Promise<Received>;
  /** Lets somebody write a file at a place of waiting and stores it; nothing is stored when that fails. */
  make(write: (path: string) => Promise<void>): Promise<string>;
  read(hash: string): Promise<Buffer>;
  /** Lends files at local paths, for as long as the use lasts, to tools that want paths. */
  withLocalFiles<T>(hashes: readonly string[], use: (paths: string[]) => Promise<T>): Promise<T>;
  /** Opens a file for reading; who opened it reads or destroys the stream. @throws ENOENT when it is gone */
  open(hash: string): Promise<{ size: number; stream: Readable }>;
  /** A folder for work that may be taken up again under the same name; whoever uses it clears it. */
  workFolder(name: string): string;
}

export interface Received {
  hash: string;
  size: number;
  path: string;
  /** On the disk when this resolves, whatever happens to the machine after. */
  keep(): Promise<void>;
  /** Forgets it; one that was kept stays. */
  discard(): Promise<void>;
}

/** What was written to a folder is there after a loss of power, too. */
async function flushFolder(folder: string): Promise<void> {
  const handle = await fs.open(folder);
  try {
    await handle.sync();
  } finally {
    await handle.close();
  }
}

/** The default store: a folder on this machine. A file appears under its hash whole or not at all. */
export class FolderStore implements FileStore {
  constructor(private readonly folder: string) {}

  async withLocalFiles<T>(hashes: readonly string[], use: (paths: string[]) => Promise<T>): Promise<T> {
    return use(hashes.map((h) => this.pathOf(h)));
  }

  private pathOf(hash: string): string {
    if (!/^[0-9a-f]{64}$/.test(hash)) throw new Error(`not a file hash: ${hash}`);
    return path.join(this.folder, hash.slice(0, 2), hash);
  }

  async put(bytes: Uint8Array): Promise<string> {
    const hash = createHash('sha256').update(bytes).digest('hex');
    const waiting = await this.waitingPath();
    try {
      await fs.writeFile(waiting, bytes, { flush: true });
      await this.move(waiting, hash);
      return hash;
    } catch (error) {
      await fs.rm(waiting, { force: true });
      throw error;
    }
  }

  async make(write: (path: string) => Promise<void>): Promise<string> {
    const waiting = await this.waitingPath();
    try {
      await write(waiting);
      const digest = createHash('sha256');
      await pipeline(createReadStream(waiting), digest);
      const hash = digest.digest('hex');
      const handle = await fs.open(waiting);
      await handle.sync().finally(() => handle.close());
      await this.move(waiting, hash);
      return hash;
    } catch (error) {
      await fs.rm(waiting, { force: true });
      throw error;
    }
  }

  async receive(stream: Readable): Promise<Received> {
    // A stream that breaks while its place is made is heard of when it is read.
    stream.once('error', () => undefined);
    const waiting = await this.waitingPath();
    const digest = createHash('sha256');
    let size = 0;
    const meter = new Transform({
      transform(chunk: Buffer, _encoding, done) {
        digest.update(chunk);
        size += chunk.length;
        done(null, chunk);
      },
    });
    // Opened before anything flows: a stream that breaks at once would else be cleared away before its file is made.
    const file = await fs.open(waiting, 'w');
    try {
      await pipeline(stream, meter, file.createWriteStream({ flush: true }));
    } catch (error) {
      await fs.rm(waiting, { force: true });
      throw error;
    }
    const hash = digest.digest('hex');
    return {
      hash,
      size,
      path: waiting,
      keep: () => this.move(waiting, hash),
      discard: () => fs.rm(waiting, { force: true }),
    };
  }

  async read(hash: string): Promise<Buffer> {
    return fs.readFile(this.pathOf(hash));
  }

  async open(hash: string): Promise<{ size: number; stream: Readable }> {
    const handle = await fs.open(this.pathOf(hash));
    try {
      const { size } = await handle.stat();
      return { size, stream: handle.createReadStream() };
    } catch (error) {
      await handle.close();
      throw error;
    }
  }

  workFolder(name: string): string {
    return path.join(this.folder, 'work', path.basename(name));
  }

  private async waitingPath(): Promise<string> {
    const folder = path.join(this.folder, 'incoming');
    await fs.mkdir(folder, { recursive: true });
    return path.join(folder, randomUUID());
  }

  private async move(waiting: string, hash: string): Promise<void> {
    const target = this.pathOf(hash);
    const folder = path.dirname(target);
    const made = await fs.mkdir(folder, { recursive: true });
    await fs.rename(waiting, target);
    await flushFolder(folder);
    if (made) await flushFolder(this.folder);
  }
}
