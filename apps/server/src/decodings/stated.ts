import type { CameraBody, PictureDecoding, StatedDecoding, Take } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import type { StoredDecoding } from '../db/entities';

/** What is known of a picture's code values before anybody is asked; null with the reason when nothing is. */
export interface KnownMeaning {
  decoding: PictureDecoding | null;
  source: string;
}

/** What a new picture's file says, before anybody said more. */
export const fromFile = ({ decoding, source }: KnownMeaning): StoredDecoding => ({
  fileDecoding: decoding,
  fileDecodingSource: source,
  enteredDecoding: null,
});

/** The body that a take was recorded with. */
type Recorder = Pick<CameraBody, 'name' | 'formats'>;

/** What code values mean: as a person said, else the file, else the recording format in the kit; else nobody knows. */
export function statedDecoding(
  { fileDecoding, fileDecodingSource, enteredDecoding }: StoredDecoding,
  take: Pick<Take, 'formatName'> | undefined,
  body: Recorder | undefined,
): StatedDecoding {
  if (enteredDecoding) return { decoding: enteredDecoding, from: 'entered', source: 'entered' };
  if (fileDecoding) return { decoding: fileDecoding, from: 'file', source: fileDecodingSource };
  const format = body?.formats.find((f) => f.name === take?.formatName);
  if (body && format?.decoding)
    return { decoding: format.decoding, from: 'kit', source: `${body.name}, ${format.name}, in the kit` };
  return { decoding: null, from: null, source: fileDecodingSource };
}

/** The same for many pictures of takes; one look for all. Pictures without a take have only their file and what was entered. */
export async function statedDecodings<T extends StoredDecoding & { takeId: string | null }>(
  db: Queries,
  productionId: string,
  pictures: readonly T[],
): Promise<Map<T, StatedDecoding>> {
  const takeIds = [...new Set(pictures.flatMap((p) => (p.takeId && !p.fileDecoding ? [p.takeId] : [])))];
  const rows: { id: string; formatName: string; name: string; formats: CameraBody['formats'] }[] =
    takeIds.length === 0
      ? []
      : await db.query(
          `SELECT t.id, t.format_name AS "formatName", b.name, b.formats FROM takes t
           JOIN camera_bodies b ON b.production_id = t.production_id AND b.id = t.body_id WHERE t.production_id = $1 AND t.id = ANY($2)`,
          [productionId, takeIds],
        );
  const byTake = new Map(rows.map((r) => [r.id, r]));
  return new Map(
    pictures.map((p) => {
      const found = p.takeId ? byTake.get(p.takeId) : undefined;
      return [p, statedDecoding(p, found, found)];
    }),
  );
}

export async function statedDecodingOf<T extends StoredDecoding & { takeId: string | null; productionId: string }>(
  db: Queries,
  picture: T,
): Promise<StatedDecoding> {
  return (await statedDecodings(db, picture.productionId, [picture])).get(picture)!;
}
