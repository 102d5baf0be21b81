import busboy from 'busboy';
import type { Request } from 'express';
import { ARRIVED_PART, arrivedSchema, type RefusedFile } from '@tawny/contract';
import { FileProblem } from '@tawny/formats';
import type { Arriving } from './arriving';
import type { FileStore, Received } from './store';
import { ApiProblem } from '../problems';

export const MAX_FILE_BYTES = 400 * 1024 * 1024;
const MAX_FILES = 2000;

export interface UploadedFile {
  /** Name of the form's part. */
  field: string;
  name: string;
  /** Its place among the files of the request, from 0. */
  place: number;
  received: Received;
}

/** Only the last part of a name that a browser sent, without control characters and halves of characters. */
function cleanName(name: string): string {
  const last = (name.split(/[\\/]/).pop() ?? '').toWellFormed();
  // eslint-disable-next-line no-control-regex
  return last.replace(/[\u0000-\u001f\u007f]/g, '').slice(0, 200) || 'unnamed';
}

const brokeOff = () =>
  new ApiProblem(400, 'upload-broken', 'The upload broke off; send the files again: those that arrived are recognised');

/** What a part says that names a file which came in pieces before. @throws ApiProblem when it says something else */
function arrivedIn(text: string) {
  try {
    return arrivedSchema.parse(JSON.parse(text));
  } catch {
    throw new ApiProblem(422, 'invalid-fields', `The part ${ARRIVED_PART} does not name a file that has arrived`);
  }
}

/** Takes in the files of requests: those in the request itself, and those that came in pieces before and are named in it. */
export class Uploads {
  constructor(
    private readonly files: FileStore,
    private readonly arriving: Arriving,
    private readonly silentMs: number,
  ) {}

  /**
   * Takes files in one by one: each is kept or refused for itself, and the answer says which.
   * @throws ApiProblem 422 when none was good, with the reason of each
   */
  async each<T>(
    req: Request,
    take: (file: UploadedFile) => Promise<T>,
  ): Promise<{ items: T[]; problems: RefusedFile[] }> {
    const items: T[] = [];
    const problems: RefusedFile[] = [];
    await this.stream(req, async (file) => {
      try {
        items.push(await take(file));
      } catch (error) {
        if (!(error instanceof FileProblem)) throw error;
        problems.push({ file: file.name, code: error.code, message: error.message });
      } finally {
        await file.received.discard();
      }
    });
    if (items.length > 0) return { items, problems };
    if (problems.length === 0) throw new ApiProblem(422, 'no-files', 'The upload held no files');
    throw new ApiProblem(422, problems[0].code, problems.map((p) => p.message).join('; '), {
      errors: problems.map(({ file, message }) => ({ file, message })),
    });
  }

  /** Takes files in that belong together, in the order they were sent: used when all of them are here; what is not kept then is gone. @throws ApiProblem without a file */
  async all<T>(req: Request, use: (uploads: UploadedFile[]) => Promise<T>): Promise<T> {
    const uploads: UploadedFile[] = [];
    try {
      await this.stream(req, async (file) => {
        uploads.push(file);
      });
      if (uploads.length === 0) throw new ApiProblem(422, 'no-files', 'The upload held no files');
      return await use(uploads.sort((a, b) => a.place - b.place));
    } finally {
      await Promise.all(uploads.map((u) => u.received.discard()));
    }
  }

  /** One file that came in pieces, streamed like one of the request; it is gone from where it arrived once it was used. */
  private async useArrived(
    req: Request,
    text: string,
    place: number,
    hand: (file: UploadedFile) => Promise<void>,
  ): Promise<void> {
    const { field, name, id } = arrivedIn(text);
    const received = await this.files.receive(
      await this.arriving.open(id, String(req.params.production).toUpperCase()),
    );
    await hand({ field, name: cleanName(name), place, received });
    await this.arriving.forget(id);
  }

  /**
   * Streams every file of a multipart request to the store's waiting place and hands it over while the next one comes. What
   * did not arrive whole is gone when this ends.
   * @throws ApiProblem when it is no multipart request, breaks off, falls silent or holds too much; what `hand` throws
   */
  private async stream(req: Request, hand: (file: UploadedFile) => Promise<void>): Promise<void> {
    let parser: busboy.Busboy;
    try {
      parser = busboy({
        headers: req.headers,
        limits: { fileSize: MAX_FILE_BYTES, files: MAX_FILES, fields: MAX_FILES, fieldSize: 65536, headerPairs: 50 },
        defParamCharset: 'utf8',
      });
    } catch {
      throw new ApiProblem(415, 'not-multipart', 'Send the files as multipart/form-data');
    }
    const uses: Promise<void>[] = [];
    let place = 0;
    let fail: (why: unknown) => void = () => undefined;
    const failed = new Promise<never>((_resolve, reject) => (fail = reject));
    failed.catch(() => undefined);
    const use = (work: Promise<void>) => {
      // A disk that is full is said at once, not when everything has been sent.
      work.catch(fail);
      uses.push(work);
    };
    let over: ApiProblem | null = null;
    parser.on('filesLimit', () => {
      over = new ApiProblem(413, 'too-many-files', `Send at most ${MAX_FILES} files at a time`);
    });
    parser.on('file', (field, stream, { filename }) => {
      const name = cleanName(filename ?? '');
      const at = place++;
      const receive = async () => {
        const received = await this.files.receive(stream);
        if (stream.truncated) {
          await received.discard();
          throw new ApiProblem(413, 'too-large', `${name} is larger than ${MAX_FILE_BYTES / 1024 / 1024} MiB`);
        }
        await hand({ field, name, place: at, received });
      };
      use(receive());
    });
    parser.on('field', (field, text) => {
      if (field === ARRIVED_PART) use(this.useArrived(req, text, place++, hand));
    });
    const { socket } = req;
    const silent = () => req.destroy(new Error('silent'));
    // A sender may be as slow as the set's network, but not silent.
    socket.setTimeout(this.silentMs, silent);
    const quiet = () => {
      socket.setTimeout(0);
      socket.off('timeout', silent);
    };
    const gone = () => {
      if (!req.complete) parser.destroy(new Error('the sender left'));
    };
    req.once('close', gone).once('error', gone);
    try {
      const parsed = new Promise<void>((resolve, reject) => {
        // It ends when its last file has been read.
        parser.once('close', resolve).on('error', () => reject(brokeOff()));
        // The request itself is not destroyed with a parser that fails: whoever sends it is to hear why.
        req.pipe(parser);
      });
      await Promise.race([parsed, failed]);
      // All has come: from now on it is us who are silent.
      quiet();
      await Promise.all(uses);
    } catch (error) {
      req.unpipe(parser);
      parser.destroy();
      await Promise.allSettled(uses);
      throw error;
    } finally {
      req.unpipe(parser).off('close', gone).off('error', gone);
      quiet();
    }
    if (over) throw over;
  }
}
