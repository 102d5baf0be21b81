import { picturesFirst, type PictureDecoding, type PlateCharacterRecord, type Take } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { Plates, type Owned } from '../db/entities';
import { statedDecodings } from '../decodings/stated';
import { characterNow } from '../plates/addPlate';

interface TakeCharacter {
  plate: string;
  decoding: PictureDecoding;
  character: PlateCharacterRecord;
}

/** What the newest plate of a take that was measured is like, frames of its picture before photographs of cards; null when none was. */
export async function characterOfTake(db: Queries, take: Owned<Take>): Promise<TakeCharacter | null> {
  const { productionId, id: takeId } = take;
  const plates = await db.getRepository(Plates).find({ where: { productionId, takeId }, order: { createdAt: 'DESC' } });
  const decodings = await statedDecodings(db, productionId, plates);
  for (const plate of picturesFirst(plates)) {
    const stated = decodings.get(plate)!;
    const character = characterNow(plate.measuredCharacter, stated);
    if (character && stated.decoding) return { plate: plate.name, decoding: stated.decoding, character };
  }
  return null;
}

/** For tools: levels and standard deviations in linear light of the plate's own primaries, sizes in its pixels. */
export const characterJson = (found: TakeCharacter): string => `${JSON.stringify(found, null, 2)}\n`;

const f = (v: number) => Number(v.toPrecision(3)).toString();

/** The same for the page. */
export function characterWords({ black, grain, edgeBlurPx }: PlateCharacterRecord): string {
  const [level, sigma] = grain.sigmaAt[grain.sigmaAt.length >> 1];
  return `black ${black.map(f).join(' ')}, grain ${f(sigma)} at ${f(level)} (one sigma, linear light), ${grain.sizePx.toFixed(1)} px wide, ${edgeBlurPx === null ? 'no edge to tell its blur' : `edges blurred by ${edgeBlurPx.toFixed(2)} px`}`;
}
