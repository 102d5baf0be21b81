import type { PictureDecoding } from '@tawny/contract';

/** What is known of the meaning of code values: by the file, and by a person. */
export interface StoredDecoding {
  fileDecoding: PictureDecoding | null;
  fileDecodingSource: string;
  enteredDecoding: PictureDecoding | null;
}
export const DECODING = { fileDecoding: 'jsonb?', fileDecodingSource: 'text', enteredDecoding: 'jsonb?' } as const;
