import {
  addressOf,
  answerOf,
  ApiError,
  createClient,
  requestOf,
  type Answered,
  type ApiRequest,
  type Asked,
  type OperationName,
} from '@tawny/contract';

export { ApiError };

const failure = (title: string, code: string, detail: string) =>
  new ApiError({ type: 'about:blank', title, status: 0, code, detail });

async function send({ method, url, headers, body }: ApiRequest): Promise<{ status: number; text: string }> {
  try {
    const response = await fetch(url, { method, headers, body });
    return { status: response.status, text: await response.text() };
  } catch {
    throw failure(
      'No connection',
      'no-connection',
      'The server cannot be reached. Check that it runs, then try again.',
    );
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
/** The screen stands: what was held back is asked now. */
export const releaseCalls = (): void => show();

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

/** Sends files with progress in [0, 1]. Parts have names where an operation tells them apart. */
export function upload<N extends OperationName>(
  name: N,
  asked: Asked<N>,
  parts: readonly (File | { field: string; file: File })[],
  onProgress: (fraction: number) => void,
): Promise<Answered<N>> {
  const { method, url, headers } = requestOf(name, asked, () => '');
  return new Promise((resolve, reject) => {
    const form = new FormData();
    for (const part of parts) {
      const { field, file } = 'field' in part ? part : { field: 'frames', file: part };
      form.append(field, file, file.name);
    }
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
