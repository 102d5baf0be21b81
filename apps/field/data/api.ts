import { problemSchema, type Problem } from '@tawny/contract';

/** A refusal of the server, with its problem document. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
    this.name = 'ApiError';
  }

  /** Message for a field, when the problem names it. */
  field(name: string): string | undefined {
    return this.problem.errors?.find((e) => e.field === name)?.message;
  }
}

const BASE = '/api/v1/productions';

export function apiPath(production: string, path: string): string {
  return `${BASE}/${production}${path}`;
}

async function answer<T>(response: Response): Promise<T> {
  const text = await response.text();
  if (response.ok) return JSON.parse(text) as T;
  let parsed;
  try {
    parsed = problemSchema.safeParse(JSON.parse(text));
  } catch {
    parsed = null;
  }
  if (parsed?.success) throw new ApiError(parsed.data);
  throw new ApiError({
    type: 'about:blank',
    title: 'No answer',
    status: response.status,
    code: 'no-answer',
    detail: `The server answered ${response.status} without saying why. Try again in a moment.`,
  });
}

async function call<T>(url: string, init?: RequestInit): Promise<T> {
  let response: Response;
  try {
    response = await fetch(url, init);
  } catch {
    throw new ApiError({
      type: 'about:blank',
      title: 'No connection',
      status: 0,
      code: 'no-connection',
      detail: 'The server cannot be reached. Check that it runs, then try again.',
    });
  }
  return answer<T>(response);
}

export const listProductions = <T>() => call<T>(BASE);

export const get = <T>(production: string, path: string) => call<T>(apiPath(production, path));

/** A write that may be sent again safely: the same key gives the same answer. */
export const post = <T>(production: string, path: string, body: unknown, key: string = crypto.randomUUID()) =>
  call<T>(apiPath(production, path), {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', 'Idempotency-Key': key },
    body: JSON.stringify(body),
  });

export const patch = <T>(production: string, path: string, body: unknown) =>
  call<T>(apiPath(production, path), {
    method: 'PATCH',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(body),
  });

export const remove = <T>(production: string, path: string) => call<T>(apiPath(production, path), { method: 'DELETE' });

/** Reads a picked file as base64, for imports that travel as JSON. */
export async function base64Of(file: Blob): Promise<string> {
  const url = await new Promise<string>((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.onerror = () =>
      reject(
        new ApiError({
          type: 'about:blank',
          title: 'Not readable',
          status: 0,
          code: 'not-readable',
          detail: 'The file cannot be read: it may have been moved. Choose it again.',
        }),
      );
    reader.readAsDataURL(file);
  });
  return url.slice(url.indexOf(',') + 1);
}

/** Sends files with progress in [0, 1]. */
export const upload = <T>(
  production: string,
  path: string,
  files: readonly File[],
  onProgress: (fraction: number) => void,
): Promise<T> =>
  uploadParts(
    production,
    path,
    files.map((file) => ({ field: 'frames', file })),
    onProgress,
  );

/** The same with a name for each part. */
export function uploadParts<T>(
  production: string,
  path: string,
  parts: readonly { field: string; file: File }[],
  onProgress: (fraction: number) => void,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const form = new FormData();
    parts.forEach(({ field, file }) => form.append(field, file, file.name));
    const request = new XMLHttpRequest();
    request.open('POST', apiPath(production, path));
    request.upload.onprogress = (e) => e.lengthComputable && onProgress(e.loaded / e.total);
    request.onload = () =>
      answer<T>(new Response(request.responseText, { status: request.status })).then(resolve, reject);
    request.onerror = () =>
      reject(
        new ApiError({
          type: 'about:blank',
          title: 'Upload broke off',
          status: 0,
          code: 'upload-broken',
          detail: 'The upload broke off. Send the files again: those that arrived are recognised.',
        }),
      );
    request.send(form);
  });
}
