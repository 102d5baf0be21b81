import type { Queries } from '../db/dataSource';
import type { Owned, StoredPanorama } from '../db/entities';
import { cardsOf, type MeasuredCard } from './cards';

/** Another round whose cards say something of a panorama. */
export interface OtherRound {
  id: string;
  name: string;
  shotAt: Date;
  /** How well that is known, seconds (95 %); null: nobody says. */
  shotAtUncertaintyS: number | null;
  /** Setup whose light it shows. */
  setupId: string;
  sameRig: boolean;
  cards: MeasuredCard[];
}

/** So many rounds before are asked: the newest say it best. */
const ROUNDS_ASKED = 3;
/** So many are looked through for them: of some the cards were set aside. */
const ROUNDS_LOOKED_AT = 20;

/**
 * Rounds whose cards stand in for what a panorama has none of: the same rig's where nothing was measured of it, and those where a body that no card
 * was held before here was seen beside one that was.
 * @param own bodies that a card was measured with on this panorama
 * @param asked bodies whose gain is wanted
 */
export async function otherRoundsOf(
  db: Queries,
  panorama: Owned<StoredPanorama>,
  own: ReadonlySet<string>,
  asked: ReadonlySet<string>,
): Promise<OtherRound[]> {
  const unknown = new Set([...asked].filter((b) => !own.has(b)));
  if (own.size > 0 && unknown.size === 0) return [];
  const rows: {
    id: string;
    round_id: string;
    setup_id: string;
    name: string;
    shot_at: Date;
    within_s: number | null;
    same_rig: boolean;
  }[] = await db.query(
    `SELECT * FROM (
       SELECT DISTINCT ON (p.round_id) p.id, p.round_id, s.setup_id, r.name, r.shot_at, r.shot_at_uncertainty_s AS within_s, p.created_at, coalesce(r.rig_id = own.rig_id, false) AS same_rig
         FROM panoramas p JOIN rounds r ON r.production_id = p.production_id AND r.id = p.round_id
         JOIN stations s ON s.production_id = r.production_id AND s.id = r.station_id
         JOIN rounds own ON own.production_id = r.production_id AND own.id = $2
        WHERE p.production_id = $1 AND p.removed_at IS NULL AND r.id <> own.id
          AND EXISTS (SELECT 1 FROM calibrations c WHERE c.production_id = $1 AND c.panorama_id = p.id AND c.removed_at IS NULL AND c.scale IS NOT NULL)
        ORDER BY p.round_id, p.created_at DESC) newest
      ORDER BY created_at DESC LIMIT ${ROUNDS_LOOKED_AT}`,
    [panorama.productionId, panorama.roundId],
  );
  const cards = await cardsOf(db, panorama.productionId, rows.map((r) => r.id)); // prettier-ignore
  const rounds = rows.map((r): OtherRound => ({
    id: r.round_id,
    name: r.name,
    shotAt: new Date(r.shot_at),
    shotAtUncertaintyS: r.within_s,
    setupId: r.setup_id,
    sameRig: r.same_rig,
    cards: cards.filter((c) => c.calibration.panoramaId === r.id),
  }));
  const rig = own.size === 0 ? rounds.filter((r) => r.sameRig && r.cards.length > 0).slice(0, ROUNDS_ASKED) : [];
  // A body here is known by a card on this panorama, or on those of its rig.
  const known = new Set([...own, ...rig.flatMap((r) => r.cards.map((c) => c.settings.body))]);
  const holds = (r: OtherRound, bodies: ReadonlySet<string>) => r.cards.some((c) => bodies.has(c.settings.body));
  const beside = rounds.filter((r) => !rig.includes(r) && holds(r, unknown) && holds(r, known)).slice(0, ROUNDS_ASKED);
  return [...rig, ...beside];
}
