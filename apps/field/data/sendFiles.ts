import type { UploadResult } from '@tawny/contract';
import { ApiError, post, upload } from './api';

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

async function sha256(file: Blob): Promise<string> {
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
export async function sendFrames(code: string, roundId: string, files: readonly File[], onProgress: (sending: Sending) => void): Promise<UploadResult> {
  const result: UploadResult = { accepted: [], duplicates: [], problems: [] };
  const total = files.reduce((s, f) => s + f.size, 0) || 1;
  const sent = new Map<File, number>();
  let waiting = false;
  const report = () => onProgress({ fraction: [...sent.values()].reduce((s, v) => s + v, 0) / total, waiting });
  const queue: File[] = [];
  for (let from = 0; from < files.length; from += ASKED) {
    const some = files.slice(from, from + ASKED);
    const hashes: string[] = [];
    for (const f of some) hashes.push(await sha256(f));
    const known = new Set((await post<{ known: string[] }>(code, `/rounds/${roundId}/frames/known`, { hashes: [...new Set(hashes)] })).known);
    const seen = new Set<string>();
    some.forEach((f, i) => {
      if (known.has(hashes[i]) || seen.has(hashes[i])) {
        result.duplicates.push(f.name);
        sent.set(f, f.size);
      } else queue.push(f);
      seen.add(hashes[i]);
    });
    report();
  }
  const sendOne = async (file: File) => {
    for (let attempt = 0; ; attempt++) {
      try {
        const answer = await upload<UploadResult>(code, `/rounds/${roundId}/frames`, [file], (fraction) => {
          sent.set(file, fraction * file.size);
          report();
        });
        result.accepted.push(...answer.accepted);
        result.duplicates.push(...answer.duplicates);
        result.problems.push(...answer.problems);
        return;
      } catch (e) {
        if (passes(e) && attempt < WAITS.length) {
          waiting = true;
          sent.set(file, 0);
          report();
          await new Promise((r) => setTimeout(r, WAITS[attempt]));
          waiting = false;
          continue;
        }
        if (!(e instanceof ApiError) || passes(e) || e.problem.status === 404) throw e;
        result.problems.push({ file: file.name, code: e.problem.code, message: e.problem.detail });
        sent.set(file, file.size);
        return;
      }
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, async () => {
    for (let next = queue.shift(); next; next = queue.shift()) await sendOne(next);
  }));
  if (result.accepted.length + result.duplicates.length === 0 && result.problems.length > 0) {
    throw new ApiError({ type: 'about:blank', title: 'Nothing was taken in', status: 422, code: result.problems[0].code, detail: result.problems.map((p) => p.message).join('; ') });
  }
  return result;
}
