import type { Answered, ApiRequest, Asked, OperationName } from '@tawny/contract';
import { addressOf, answerOf, ApiError, createClient, KEY_HEADER, requestOf } from '@tawny/contract/client';
import { ARRIVED_PART } from '@tawny/contract/arrived';
import { IN_PIECES_FROM, sendInPieces, type Arrived } from './sendInPieces';

export { ApiError };

const failure = (title: string, code: string, detail: string) =>
  new ApiError({ type: 'about:blank', title, status: 0, code, detail });

/** Waits before a write is sent again whose answer did not come, ms: it may have arrived, and under its key it is done once. */
const AGAIN_MS = [400, 1600];

async function send({ method, url, headers, body }: ApiRequest): Promise<{ status: number; text: string }> {
  const waits = KEY_HEADER in headers ? AGAIN_MS : [];
  for (let k = 0; ; k++) {
    try {
      const response = await fetch(url, { method, headers, body });
      return { status: response.status, text: await response.text() };
    } catch {
      if (k === waits.length)
        throw failure(
          'No connection',
          'no-connection',
          'The server cannot be reached. Check that it runs, then try again.',
        );
      await new Promise((resolve) => setTimeout(resolve, waits[k]));
    }
  }
}

let client: ReturnType<typeof createClient> | undefined;
let shown: Promise<void> | null = null;
let show = () => {};

/** Lets the screen be drawn from what is known before anything is asked; for two seconds at most. */
export function holdCalls(): void {
  shown = new Promise((resolve) => {
    show = resolve;
    setTimeout(resolve, 2000);
  });
}
/** The screen stands: what was held back is asked as soon as it has been painted. */
export const releaseCalls = (): void => {
  requestAnimationFrame(() => setTimeout(show));
};

/** Does an operation of the API. A write that is sent again with the same key gives the same answer. */
export async function call<N extends OperationName>(name: N, asked: Asked<N>): Promise<Answered<N>> {
  await shown;
  client ??= createClient(send, () => crypto.randomUUID());
  return client(name, asked);
}

/** Address of a file of the production in the address bar, for pictures and downloads. */
export const fileAddress = <N extends OperationName>(name: N, params: Record<string, string | number>): string =>
  addressOf(name, { params } as Asked<N>);

/** Reads a picked file as base64, for imports that travel as JSON. */
export async function base64Of(file: Blob): Promise<string> {
  const url = await new Promise<string>((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.onerror = () =>
      reject(
        failure('Not readable', 'not-readable', 'The file cannot be read: it may have been moved. Choose it again.'),
      );
    reader.readAsDataURL(file);
  });
  return url.slice(url.indexOf(',') + 1);
}

/**
 * Sends files with progress in [0, 1]; large ones in pieces first, so that one that breaks off goes on from where it was.
 * Parts have names where an operation tells them apart.
 */
export async function upload<N extends OperationName>(
  name: N,
  asked: Asked<N>,
  parts: readonly (File | { field: string; file: File })[],
  onProgress: (fraction: number) => void,
): Promise<Answered<N>> {
  const named = parts.map((part) => ('field' in part ? part : { field: 'frames', file: part }));
  const total = named.reduce((sum, { file }) => sum + file.size, 0) || 1;
  const form = new FormData();
  const arrived: Arrived[] = [];
  let there = 0;
  for (const { field, file } of named) {
    if (file.size < IN_PIECES_FROM) form.append(field, file, file.name);
    else {
      const { production } = asked.params as { production: string };
      const one = await sendInPieces(production, file, (sent) => onProgress((there + sent) / total));
      form.append(ARRIVED_PART, JSON.stringify({ field, name: file.name, id: one.id }));
      arrived.push(one);
      there += file.size;
    }
  }
  const answer = await sendForm(name, asked, form, (share) => onProgress((there + share * (total - there)) / total));
  for (const one of arrived) await one.used();
  return answer;
}

function sendForm<N extends OperationName>(
  name: N,
  asked: Asked<N>,
  form: FormData,
  onProgress: (share: number) => void,
): Promise<Answered<N>> {
  const { method, url, headers } = requestOf(name, asked, () => '');
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open(method, url);
    for (const [header, value] of Object.entries(headers)) request.setRequestHeader(header, value);
    request.upload.onprogress = (e) => e.lengthComputable && onProgress(e.loaded / e.total);
    request.onload = () => {
      try {
        resolve(answerOf(name, request.status, request.responseText));
      } catch (error) {
        reject(error as Error);
      }
    };
    request.onerror = () =>
      reject(
        failure(
          'Upload broke off',
          'upload-broken',
          'The upload broke off. Send the files again: those that arrived are recognised.',
        ),
      );
    request.send(form);
  });
}
