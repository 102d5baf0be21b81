import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Response } from 'express';
import { orGone } from '../files/orGone';
import type { FileStore } from '../files/store';
import { ApiProblem } from '../problems';
import type { FileReply } from './handler';

/** The one way by which files leave: a stored one that is gone is a problem that names it, a reader who leaves frees everything. */
export async function sendFile(
  res: Response,
  files: FileStore,
  { content, type, name, lasting }: FileReply,
): Promise<void> {
  const stored = 'hash' in content ? await openStored(files, content.hash) : null;
  if (name) res.attachment(name);
  res.type(type);
  if (lasting) res.set('Cache-Control', 'private, max-age=31536000, immutable');
  if ('bytes' in content) {
    res.send(typeof content.bytes === 'string' ? content.bytes : Buffer.from(content.bytes));
    return;
  }
  if (stored) res.set('Content-Length', String(stored.size));
  const source = stored?.stream ?? Readable.from((content as { parts: AsyncIterable<string> }).parts);
  await pipeline(source, res).catch((error: NodeJS.ErrnoException) => {
    // The reader left: nobody is there to be told.
    if (error.code !== 'ERR_STREAM_PREMATURE_CLOSE') throw error;
  });
}

async function openStored(files: FileStore, hash: string) {
  const stored = await orGone(files.open(hash));
  if (stored) return stored;
  throw new ApiProblem(
    404,
    'file-missing',
    `The stored file ${hash.slice(0, 12)} is gone from the store: restore it from a backup`,
  );
}
