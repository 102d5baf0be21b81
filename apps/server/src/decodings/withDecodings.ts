import type { KitCurve, PictureDecoding, StatedDecoding } from '@tawny/contract';
import type { Curve } from '@tawny/core';
import type { Queries } from '../db/dataSource';
import { Curves } from '../db/entities';
import type { TaskDecoding } from '../decode/taskDecoding';
import type { FileStore } from '../files/store';
import { ApiProblem } from '../problems';

const KIT_CURVE = /^clf:([0-9a-f]{64})$/;

/** The curve of the kit that a decoding names; null when its curve has a name of its own. @throws ApiProblem when it is not in the kit any more */
async function kitCurve(db: Queries, productionId: string, { curve }: PictureDecoding): Promise<KitCurve | null> {
  const hash = KIT_CURVE.exec(curve)?.[1];
  if (!hash) return null;
  const found = await db.getRepository(Curves).findOneBy({ productionId, hash });
  if (!found)
    throw new ApiProblem(
      422,
      'no-curve',
      'The curve that was stated is not in the kit any more: bring it again, or state another',
    );
  return found;
}

/** @throws ApiProblem naming the picture when nobody stated what its code values mean */
export function assertStated({ decoding, source }: StatedDecoding, name: string): PictureDecoding {
  if (decoding) return decoding;
  throw new ApiProblem(
    422,
    'no-decoding',
    `${name} does not say what its code values mean (${source}), and its recording format in the kit does not either: state it, then it can be measured`,
    { errors: [{ field: 'decoding', message: 'is not stated' }] },
  );
}

/**
 * Gives pictures and the curves of their decodings to `use` as local files.
 * @throws ApiProblem when one has no decoding
 */
export async function withDecodings<T>(
  db: Queries,
  files: FileStore,
  productionId: string,
  pictures: readonly { hash: string; name: string; decoding: StatedDecoding }[],
  use: (pictures: { path: string; name: string; decoding: TaskDecoding }[]) => Promise<T>,
): Promise<T> {
  const stated = pictures.map((p) => assertStated(p.decoding, p.name));
  const curves = await Promise.all(stated.map((d) => kitCurve(db, productionId, d)));
  const needed = [...pictures.map((p) => p.hash), ...curves.flatMap((c) => (c ? [c.hash] : []))];
  return files.withLocalFiles(needed, (paths) => {
    let next = pictures.length;
    return use(
      pictures.map(({ name }, i) => {
        const curve = curves[i] ? { path: paths[next++], name: curves[i]!.fileName } : (stated[i].curve as Curve);
        return { path: paths[i], name, decoding: { ...stated[i], curve } };
      }),
    );
  });
}
