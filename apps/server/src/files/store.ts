import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
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
  stream(hash: string): Readable;
  size(hash: string): Promise<number>;
  /** A folder for work that may be taken up again under the same name; whoever uses it clears it. */
  workFolder(name: string): string;
}

export interface Received {
  hash: string;
  size: number;
  path: string;
  keep(): Promise<void>;
  discard(): Promise<void>;
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
    await fs.writeFile(waiting, bytes);
    await this.move(waiting, hash);
    return hash;
  }

  async make(write: (path: string) => Promise<void>): Promise<string> {
    const waiting = await this.waitingPath();
    try {
      await write(waiting);
      const digest = createHash('sha256');
      await pipeline(createReadStream(waiting), digest);
      const hash = digest.digest('hex');
      await this.move(waiting, hash);
      return hash;
    } catch (error) {
      await fs.rm(waiting, { force: true });
      throw error;
    }
  }

  async receive(stream: Readable): Promise<Received> {
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
    try {
      await pipeline(stream, meter, createWriteStream(waiting));
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

  stream(hash: string): Readable {
    return createReadStream(this.pathOf(hash));
  }

  workFolder(name: string): string {
    return path.join(this.folder, 'work', path.basename(name));
  }

  async size(hash: string): Promise<number> {
    return (await fs.stat(this.pathOf(hash))).size;
  }

  private async waitingPath(): Promise<string> {
    const folder = path.join(this.folder, 'incoming');
    await fs.mkdir(folder, { recursive: true });
    return path.join(folder, randomUUID());
  }

  private async move(waiting: string, hash: string): Promise<void> {
    const target = this.pathOf(hash);
    await fs.mkdir(path.dirname(target), { recursive: true });
    await fs.rename(waiting, target);
  }
}
