import { createWriteStream } from 'node:fs';
import fs from 'node:fs/promises';
import path from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { FileStore as PiecesFolder } from '@tus/file-store';
import { ERRORS, type Upload } from '@tus/server';
import { ApiProblem } from '../problems';

/** Folder below the store's where files arrive in pieces. */
export const ARRIVING = 'arriving';
const ID = /^[0-9a-f]{32}$/;

/** Keeps what the protocol's own folder makes of it: the reason why a piece could not be written. */
class Pieces extends PiecesFolder {
  override async write(piece: Readable, id: string, offset: number): Promise<number> {
    let received = 0;
    const count = async function* (source: AsyncIterable<Buffer>) {
      for await (const chunk of source) {
        received += chunk.length;
        yield chunk;
      }
    };
    await pipeline(piece, count, createWriteStream(path.join(this.directory, id), { flags: 'r+', start: offset }));
    return offset + received;
  }
}

/** Files that come in pieces: a piece that breaks off is gone on with from its last byte. What nobody ends is collected after a day. */
export class Arriving {
  readonly pieces: PiecesFolder;

  constructor(storeFolder: string) {
    this.pieces = new Pieces({ directory: path.join(storeFolder, ARRIVING) });
  }

  /** What is known of one; null when there is none under that id. */
  async find(id: string): Promise<Upload | null> {
    if (!ID.test(id)) return null;
    return this.pieces.getUpload(id).catch((error: unknown) => {
      const gone = error === ERRORS.FILE_NOT_FOUND || error === ERRORS.FILE_NO_LONGER_EXISTS;
      if (gone || (error as NodeJS.ErrnoException).code === 'ENOENT') return null;
      throw error;
    });
  }

  /** Opens one that is whole and belongs to a production. @throws ApiProblem 422 when it is not there, or not whole */
  async open(id: string, production: string): Promise<Readable> {
    const found = await this.find(id);
    if (!found || found.metadata?.production !== production)
      throw new ApiProblem(422, 'not-arrived', 'A file that was sent in pieces is not here any more: send it again');
    if (found.size === undefined || found.offset < found.size)
      throw new ApiProblem(422, 'not-arrived', 'A file that was sent in pieces has not arrived whole: send the rest');
    return this.pieces.read(id);
  }

  async forget(id: string): Promise<void> {
    if (!ID.test(id)) return;
    for (const name of [id, `${id}.json`]) await fs.rm(path.join(this.pieces.directory, name), { force: true });
  }
}
