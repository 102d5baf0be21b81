import { PassThrough } from 'node:stream';
import archiver from 'archiver';
import type { HashedFile } from '@tawny/formats';
import type { FileStore, Received } from '../files/store';

/** Zips files (stored, not squeezed: pictures are compressed already) straight into the store's waiting place. */
export async function zipFiles(entries: readonly HashedFile[], files: FileStore, at: Date): Promise<Received> {
  const zip = archiver('zip', { store: true });
  const through = new PassThrough();
  const failed = new Promise<never>((_resolve, reject) => zip.on('error', reject));
  zip.pipe(through);
  const received = files.receive(through);
  for (const e of entries)
    zip.append(Buffer.from(e.bytes.buffer, e.bytes.byteOffset, e.bytes.byteLength), { name: e.path, date: at });
  await Promise.race([zip.finalize(), failed]);
  return Promise.race([received, failed]);
}
