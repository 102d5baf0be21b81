import busboy from 'busboy';
import type { Request } from 'express';
import type { FileStore, Received } from './store';
import { ApiProblem } from '../problems';

const MAX_FILE_BYTES = 400 * 1024 * 1024;

export interface UploadedFile {
  /** Name of the form's part. */
  field: string;
  name: string;
  received: Received;
}

/** Only the last part of a name that a browser sent, without control characters. */
function cleanName(name: string): string {
  // eslint-disable-next-line no-control-regex
  return (name.split(/[\\/]/).pop() ?? '').replace(/[\u0000-\u001f]/g, '').slice(0, 200) || 'unnamed';
}

/** Streams every file of a multipart request to the store's waiting place and hands it over in turn. */
export async function receiveUpload(
  req: Request,
  files: FileStore,
  take: (file: UploadedFile) => Promise<void>,
): Promise<void> {
  let parser: busboy.Busboy;
  try {
    parser = busboy({
      headers: req.headers,
      limits: { fileSize: MAX_FILE_BYTES, files: 2000 },
      defParamCharset: 'utf8',
    });
  } catch {
    throw new ApiProblem(415, 'not-multipart', 'Send the files as multipart/form-data');
  }
  const pending: Promise<void>[] = [];
  await new Promise<void>((resolve, reject) => {
    parser.on('file', (field, stream, info) => {
      let tooLarge = false;
      stream.on('limit', () => {
        tooLarge = true;
      });
      const name = cleanName(info.filename ?? '');
      const work = files.receive(stream).then(async (received) => {
        if (tooLarge) {
          await received.discard();
          throw new ApiProblem(413, 'too-large', `${name} is larger than ${MAX_FILE_BYTES / 1024 / 1024} MiB`);
        }
        await take({ field, name, received });
      });
      work.catch(() => undefined);
      pending.push(work);
    });
    parser.on('close', resolve);
    parser.on('error', () =>
      reject(new ApiProblem(400, 'upload-broken', 'The upload broke off; send the remaining files again')),
    );
    req.on('aborted', () =>
      reject(new ApiProblem(400, 'upload-broken', 'The upload broke off; send the remaining files again')),
    );
    req.pipe(parser);
  });
  await Promise.all(pending);
}
