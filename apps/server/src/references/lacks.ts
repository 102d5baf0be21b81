import type { ReferenceKind } from '@tawny/contract';

interface Photographed {
  kind: ReferenceKind;
  takeId: string | null;
  lensId: string | null;
  objectId: string | null;
  lightCondition: string;
  shutterS: number | null;
}

/** Kinds that are measured against an object of the kit. */
const OF_AN_OBJECT: ReadonlySet<ReferenceKind> = new Set(['greyCard', 'chart', 'greyBall', 'chromeBall', 'lensGrid']);
/** Kinds whose light matters. */
const OF_A_LIGHT: ReadonlySet<ReferenceKind> = new Set(['greyCard', 'chart', 'greyBall', 'chromeBall']);

/** What a reference still lacks before it can be measured, in words. */
export function referenceLacks(r: Photographed): string[] {
  const out: string[] = [];
  if (OF_AN_OBJECT.has(r.kind) && !r.objectId) out.push('which object of the kit it shows');
  if (OF_A_LIGHT.has(r.kind) && r.lightCondition === '') out.push('its light condition');
  if (r.kind === 'cleanPlate' && !r.takeId) out.push('the take that it is the clean plate of');
  if (r.kind === 'lensGrid' && !r.lensId) out.push('the lens');
  if (r.kind !== 'setPhoto' && r.kind !== 'lensGrid' && r.shutterS === null)
    out.push('its exposure: the file states none');
  return out;
}
