import type { UploadResult } from '@tawny/contract';
import { ApiError, call, upload } from './api';

/** Files on their way at once. */
const AT_ONCE = 3;
/** Waits before a file that broke off is sent again, milliseconds. */
const WAITS = [500, 1500, 4000, 10000, 20000];
/** Files whose hashes are asked about in one go. */
const ASKED = 500;

export interface Sending {
  /** Share of the bytes that are there. */
  fraction: number;
  /** Said while the connection is waited for. */
  waiting: boolean;
}

/** Null where the browser does not hash (an address that is not secure): the server tells doubles then. */
async function sha256(file: Blob): Promise<string | null> {
  if (!crypto.subtle) return null;
  const digest = await crypto.subtle.digest('SHA-256', await file.arrayBuffer());
  return [...new Uint8Array(digest)].map((b) => b.toString(16).padStart(2, '0')).join('');
}

/** What can be mended by waiting: no connection, one that broke, a server that is just starting. */
const passes = (e: unknown) => e instanceof ApiError && (e.problem.status === 0 || e.problem.status >= 502);

/**
 * Sends the frames of a round, several at once, each on its own: what broke off is sent again, and what is there already (told by its hash) is not sent at all.
 * So a card that was half sent goes on from where it was, also tomorrow. A file that the server refuses is named in the result; the others go on.
 * @throws ApiError when the connection does not come back, or nothing at all was taken in
 */
export async function sendFrames(
  code: string,
  roundId: string,
  files: readonly File[],
  onProgress: (sending: Sending) => void,
): Promise<UploadResult> {
  const params = { production: code, id: roundId };
  const result: UploadResult = { accepted: [], duplicates: [], problems: [] };
  const total = files.reduce((s, f) => s + f.size, 0) || 1;
  const sent = new Map<File, number>();
  /** Files that wait for the connection. */
  let waiting = 0;
  let failure: unknown = null;
  const report = () =>
    onProgress({ fraction: [...sent.values()].reduce((s, v) => s + v, 0) / total, waiting: waiting > 0 });
  const queue: File[] = [];
  for (let from = 0; from < files.length; from += ASKED) {
    const some = files.slice(from, from + ASKED);
    const hashes: (string | null)[] = [];
    for (const f of some) hashes.push(await sha256(f));
    const asked = [...new Set(hashes.filter((h) => h !== null))];
    const there = new Set<string | null>(
      asked.length === 0 ? [] : (await call('rounds.knownFrames', { params, body: { hashes: asked } })).known,
    );
    some.forEach((f, i) => {
      if (hashes[i] !== null && there.has(hashes[i])) {
        result.duplicates.push(f.name);
        sent.set(f, f.size);
      } else queue.push(f);
      there.add(hashes[i]);
    });
    report();
  }
  const sendOne = async (file: File) => {
    for (let attempt = 0; ; attempt++) {
      try {
        const answer = await upload('rounds.addFrames', { params }, [file], (fraction) => {
          sent.set(file, fraction * file.size);
          report();
        });
        result.accepted.push(...answer.accepted);
        result.duplicates.push(...answer.duplicates);
        result.problems.push(...answer.problems);
        return;
      } catch (e) {
        if (passes(e) && attempt < WAITS.length) {
          waiting++;
          sent.set(file, 0);
          report();
          await new Promise((r) => setTimeout(r, WAITS[attempt]));
          waiting--;
          continue;
        }
        if (!(e instanceof ApiError) || passes(e) || e.problem.status === 404) throw e;
        result.problems.push({ file: file.name, code: e.problem.code, message: e.problem.detail });
        sent.set(file, file.size);
        return;
      }
    }
  };
  // Once one gives up the others begin nothing new; what they have begun ends before anybody is told.
  await Promise.all(
    Array.from({ length: AT_ONCE }, async () => {
      for (let next = queue.shift(); next && failure === null; next = queue.shift()) {
        await sendOne(next).catch((e: unknown) => {
          failure ??= e;
        });
      }
    }),
  );
  if (failure !== null) throw failure;
  if (result.accepted.length + result.duplicates.length === 0 && result.problems.length > 0) {
    throw new ApiError({
      type: 'about:blank',
      title: 'Nothing was taken in',
      status: 422,
      code: result.problems[0].code,
      detail: result.problems.map((p) => p.message).join('; '),
    });
  }
  return result;
}
