import { API_BASE, CLIENT_HEADER, ApiError } from '@tawny/contract/client';

/** Files from here on are sent in pieces, so that one that breaks off goes on from where it was. */
export const IN_PIECES_FROM = 8 * 1024 * 1024;
/** Waits before a piece is tried again, milliseconds. */
const WAITS = [500, 1500, 4000, 10000, 20000];

/** A file that is with the server, waiting to be named by an upload. */
export interface Arrived {
  id: string;
  /** Once the upload has used it, there is nothing to go on with. */
  used: () => Promise<void>;
}

/**
 * Sends a file in pieces (tus 1.0). What was sent of it before, by this browser and within a day, is not sent again.
 * @param onBytes bytes that are there
 * @throws ApiError when the connection does not come back, or the server refuses it
 */
export async function sendInPieces(production: string, file: File, onBytes: (sent: number) => void): Promise<Arrived> {
  const { Upload, DetailedError, defaultOptions } = await import('tus-js-client');
  return new Promise((resolve, reject) => {
    const sending = new Upload(file, {
      endpoint: `${API_BASE}/productions/${encodeURIComponent(production)}/arriving`,
      headers: { [CLIENT_HEADER]: 'tawny' },
      retryDelays: WAITS,
      metadata: { filename: file.name },
      onProgress: (sent) => onBytes(sent),
      onError: (error) => {
        const answer = error instanceof DetailedError ? error.originalResponse : null;
        const status = answer?.getStatus() ?? 0;
        const detail =
          answer?.getBody().trim() || 'The upload broke off. Send the files again: each goes on from where it was.';
        reject(new ApiError({ type: 'about:blank', title: 'Upload broke off', status, code: 'upload-broken', detail }));
      },
      onSuccess: () =>
        resolve({
          id: sending.url!.split('/').pop()!,
          used: async () => {
            for (const { urlStorageKey } of await sending.findPreviousUploads())
              await defaultOptions.urlStorage.removeUpload(urlStorageKey);
          },
        }),
    });
    sending.findPreviousUploads().then(([before]) => {
      if (before) sending.resumeFromPreviousUpload(before);
      sending.start();
    }, reject);
  });
}
