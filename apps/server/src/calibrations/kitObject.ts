import type { EntityManager } from 'typeorm';
import type { ReferenceObject } from '@tawny/contract';
import { ReferenceObjects, type Owned } from '../db/entities';
import { ApiProblem } from '../problems';
import { useFact, type UsedFact } from '../records/facts';
import { findOwned } from '../records/find';

/** Of a grey card that nobody measured. */
export const NOMINAL_REFLECTANCE = 0.18;
/** 95 % half widths of what a nominal reflectance, and what a measured one, promise: stops. */
export const NOMINAL_STOPS = 0.1;
const MEASURED_STOPS = 0.03;

/** Name of the fact that a surface in the plate alone rests on. */
export const REFLECTANCE_OF_SURFACE = 'reflectance of the surface';

const KIND_NAMES = { greyCard: 'grey card', chart: 'chart', greyBall: 'grey ball', chromeBall: 'chrome ball' };

/**
 * The card, chart or ball of the kit that was photographed: the one that was named, else the only one there is; null where that is not told.
 * @throws ApiProblem 422 when what was named is of another kind
 */
export async function kitObject(
  tx: EntityManager,
  productionId: string,
  kind: keyof typeof KIND_NAMES,
  id: string | null,
): Promise<Owned<ReferenceObject> | null> {
  if (id !== null) {
    const named = await findOwned(tx, ReferenceObjects, productionId, id, 'reference object');
    if (named.kind === kind) return named;
    const message = `${named.name} is no ${KIND_NAMES[kind]}`;
    throw new ApiProblem(422, 'invalid-fields', message, { errors: [{ field: 'referenceObjectId', message }] });
  }
  const all = await tx.getRepository(ReferenceObjects).findBy({ productionId, kind });
  return all.length === 1 ? all[0] : null;
}

/** How well the reflectance of a card or chart is known, 95 %, stops. */
export const reflectanceWithin = (object: ReferenceObject | null): number =>
  object?.measuredOn ? MEASURED_STOPS : NOMINAL_STOPS;

/** What of a card or chart was used. */
export const factOfObject = (tx: EntityManager, object: Owned<ReferenceObject>, name: string): Promise<UsedFact> =>
  useFact(tx, ReferenceObjects, object, ['reflectance', 'patches', 'measuredOn'], {
    name,
    provenance: {
      kind: object.measuredOn ? 'measured' : 'assumed',
      source: object.measuredOn ? `${object.name}, measured on ${object.measuredOn}` : `${object.name}, as engraved`,
      at: null,
    },
    uncertainty: reflectanceWithin(object),
    unit: 'stop',
  });
