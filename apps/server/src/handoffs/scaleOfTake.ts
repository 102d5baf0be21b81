import type { CameraBody, Take } from '@tawny/contract';
import { bodyRatio, carryGain, OTHER_ROUND_STOPS, type CarriedGain, type Stops } from '@tawny/core';
import type { Queries } from '../db/dataSource';
import { cardsOf, settingsOf } from '../calibrations/cards';
import type { Owned, StoredCalibration, StoredPanorama } from '../db/entities';

/** The scale that a package of a take has: measured in that take's own plate, or carried from another's. */
export interface TakeScale extends CarriedGain {
  /** The take whose plate it was measured in, and the calibration that says so. */
  from: Owned<Take>;
  calibration: Owned<StoredCalibration>;
  carried: boolean;
  /** The pair of cards by which its body was held against the other on one panorama; null when it was not. */
  ratio: BodyPair | null;
  /** Name of the round that the gain was measured in, when it is not the panorama's own. */
  otherRound: string | null;
}

/** Cards of two bodies on one panorama, and what they say of the bodies. */
export interface BodyPair {
  stops: Stops;
  calibrations: readonly Owned<StoredCalibration>[];
}

const nameOf = ({ slate, take, camera }: Pick<Take, 'slate' | 'take' | 'camera'>) => `${slate}/${take}${camera}`;

/** How many panoramas are looked through for a pair: of the newer ones some may have been set aside. */
const PAIRS_LOOKED_AT = 20;

/** Two bodies on one panorama, anywhere in the production: the newest pair that was not set aside. */
async function pairOf(db: Queries, productionId: string, from: string, to: string): Promise<BodyPair | null> {
  const rows: { panorama_id: string }[] = await db.query(
    `SELECT c.panorama_id FROM calibrations c
       JOIN plates p ON p.production_id = c.production_id AND p.id = (c.scale->'card'->>'plateId')::uuid
       JOIN takes t ON t.production_id = p.production_id AND t.id = p.take_id
     WHERE c.production_id = $1 AND c.removed_at IS NULL AND t.body_id = ANY($2)
     GROUP BY c.panorama_id HAVING count(DISTINCT t.body_id) = 2 ORDER BY max(c.created_at) DESC LIMIT ${PAIRS_LOOKED_AT}`,
    [productionId, [from, to]],
  );
  const cards = await cardsOf(db, productionId, rows.map((r) => r.panorama_id)); // prettier-ignore
  for (const { panorama_id: id } of rows) {
    const [a, b] = [from, to].map((body) =>
      cards.find((c) => c.calibration.panoramaId === id && c.settings.body === body),
    );
    if (a && b) return { stops: bodyRatio(a, b), calibrations: [a.calibration, b.calibration] };
  }
  return null;
}

/** Panoramas of other rounds that were shot with the rig of the kit that this one was, newest first, with their rounds' names. */
async function ofTheSameRig(db: Queries, panorama: Owned<StoredPanorama>): Promise<{ id: string; round: string }[]> {
  return db.query(
    `SELECT p.id, r.name AS round FROM panoramas p JOIN rounds r ON r.production_id = p.production_id AND r.id = p.round_id
       JOIN rounds own ON own.production_id = r.production_id AND own.rig_id = r.rig_id AND own.id <> r.id
     WHERE own.id = $2 AND p.production_id = $1 AND p.removed_at IS NULL ORDER BY p.created_at DESC`,
    [panorama.productionId, panorama.roundId],
  );
}

/**
 * The gain of a panorama to any take's plate: measured in its own plate, else carried from the plate that says most of it: the same body's before
 * another's, and only where nothing was measured of this panorama, from another round of the same rig. Null when no card was measured in any.
 * What the takes have in common is read once.
 */
export async function scalesOfTakes(
  db: Queries,
  panorama: Owned<StoredPanorama>,
): Promise<(take: Owned<Take>) => Promise<TakeScale | null>> {
  const { productionId } = panorama;
  const own = await cardsOf(db, productionId, [panorama.id]);
  const others = own.length > 0 ? [] : await ofTheSameRig(db, panorama);
  const cards = own.length > 0 ? own : await cardsOf(db, productionId, others.map((o) => o.id)); // prettier-ignore
  const pairs = new Map<string, Promise<BodyPair | null>>();
  const pair = (from: string, to: string) => {
    const key = `${from} ${to}`;
    if (!pairs.has(key)) pairs.set(key, pairOf(db, productionId, from, to));
    return pairs.get(key)!;
  };
  return async (take) => {
    const card =
      cards.find((c) => c.take.id === take.id) ?? cards.find((c) => c.settings.body === take.bodyId) ?? cards[0];
    if (!card) return null;
    const { calibration, take: from, gainStops, uncertaintyStops } = card;
    const otherRound = others.find((o) => o.id === calibration.panoramaId)?.round ?? null;
    const source = { calibration, from, otherRound };
    if (from.id === take.id && otherRound === null)
      return { ...source, gainStops, uncertaintyStops, changed: [], carried: false, ratio: null };
    const ratio = card.settings.body === take.bodyId ? null : await pair(card.settings.body, take.bodyId);
    const carried = carryGain({ gainStops, uncertaintyStops }, card.settings, settingsOf(take), ratio && ratio.stops);
    const within = carried.uncertaintyStops;
    return {
      ...source,
      ...carried,
      uncertaintyStops: otherRound === null || within === null ? within : Math.hypot(within, OTHER_ROUND_STOPS),
      carried: true,
      ratio,
    };
  };
}

/** How a carried scale is said; null for one that was measured where it is used. */
export function carriedWords(scale: TakeScale | null, bodies: readonly CameraBody[]): string | null {
  if (!scale?.carried) return null;
  const { from, changed, uncertaintyStops, ratio, otherRound } = scale;
  const body = bodies.find((b) => b.id === from.bodyId)?.name ?? 'its body';
  const named = changed.map((c) => (c === 'body' && ratio ? 'body (held against each other on one panorama)' : c));
  const by = named.length === 0 ? 'the same exposure' : `what differs: ${named.join(', ')}`;
  const round = otherRound === null ? '' : ` in ${otherRound} of the same rig`;
  const within = uncertaintyStops === null ? '' : `, ± ${uncertaintyStops.toFixed(2)} stop`;
  return `carried from the card in ${nameOf(from)} (${body})${round} by ${by}${within}`;
}

/** The gain to every take's own plate, as the list of takes states it. */
export async function gainsOf(
  takes: readonly Owned<Take>[],
  scaleOf: (take: Owned<Take>) => Promise<TakeScale | null>,
  bodies: readonly CameraBody[],
): Promise<Map<string, { stops: number; uncertaintyStops: number | null; from: string }>> {
  const gains = new Map<string, { stops: number; uncertaintyStops: number | null; from: string }>();
  for (const take of takes) {
    const scale = await scaleOf(take);
    if (!scale) continue;
    const from = carriedWords(scale, bodies) ?? 'the grey card in this take';
    gains.set(take.id, { stops: scale.gainStops, uncertaintyStops: scale.uncertaintyStops, from });
  }
  return gains;
}
