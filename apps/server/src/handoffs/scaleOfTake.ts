import type { Basis, CameraBody, Take } from '@tawny/contract';
import { faultWords, isSetAside } from '@tawny/core/text/exposureFaults';
import { differing, MEASURED_WORDS, settingsOf, type MeasuredCard } from '../calibrations/cards';
import { REFLECTANCE_OF_SURFACE } from '../calibrations/kitObject';
import { cardName, joinExposures, takeName, type JoinedExposures } from '../calibrations/joinExposures';
import type { Queries } from '../db/dataSource';
import type { Owned, StoredPanorama } from '../db/entities';
import type { Services } from '../services';

/** The scale that a package of a take has, from all that was measured. */
export interface TakeScale {
  gainStops: number;
  /** 95 % half width. */
  uncertaintyStops: number;
  /** The card in the take's own plate, else the one that says most of it. */
  nearest: MeasuredCard;
  carried: boolean;
  /** Settings in which the take differs from that card's. */
  changed: string[];
  /** Whether its body was held against that card's in another round. */
  bodiesHeld: boolean;
  /** Name of the round of the nearest card, when it is not the panorama's own. */
  otherRound: string | null;
  /** Everything the network joined. */
  joined: JoinedExposures;
  /** What does not fit, in words; null when all agrees or nothing checks it. */
  doubt: string | null;
  /** No card is left that is not set aside: the gain follows from settings. */
  settingsAlone: boolean;
}

/** The gain of a panorama to the plate of each of some takes; null where no card was measured in any. What the takes have in common is solved once. */
export async function scalesOfTakes(
  db: Queries,
  services: Pick<Services, 'files'>,
  panorama: Owned<StoredPanorama>,
  takes: readonly Owned<Take>[],
): Promise<(take: Owned<Take>) => TakeScale | null> {
  const joined = await joinExposures(db, services, panorama, takes);
  const { cards, rounds, network } = joined;
  const unsettled = network.faults.find((f) => !f.settled);
  const wrong = new Set(network.sources.filter((s) => s.kind === 'card' && isSetAside(s)).map((s) => s.name));
  const roundOf = (card: MeasuredCard) => rounds.find((r) => r.cards.includes(card));
  const counts = cards.filter((c) => !wrong.has(cardName(c, roundOf(c) ?? null)));
  return (take) => {
    const { gainStops, uncertaintyStops, verdict } = joined.of(take);
    // A card that was set aside is not what the gain comes from, unless there is no other.
    const from = counts.length > 0 ? counts : cards;
    const here = from.filter((c) => c.calibration.panoramaId === panorama.id);
    const known = here.length > 0 ? here : from;
    const nearest = known.find((c) => c.take.id === take.id) ?? known.find((c) => c.settings.body === take.bodyId) ?? known[0]; // prettier-ignore
    if (!nearest || uncertaintyStops === null) return null;
    const own = nearest.take.id === take.id;
    const round = roundOf(nearest);
    const setAside = network.faults.find((f) => f.sources.includes(cardName(nearest, round ?? null)));
    const fault = verdict === 'disagrees' ? unsettled : counts.length === 0 ? setAside : undefined;
    return {
      gainStops,
      uncertaintyStops,
      nearest,
      carried: !own || round !== undefined,
      changed: differing(nearest.settings, own ? nearest.settings : settingsOf(take)),
      bodiesHeld: cards.some((c) => c.settings.body === take.bodyId),
      otherRound: round?.name ?? null,
      joined,
      doubt: fault ? faultWords({ ...fault, sources: fault.sources.map(joined.named) }).title : null,
      settingsAlone: counts.length === 0,
    };
  };
} // prettier-ignore

/** How a carried scale is said; null for one that was measured where it is used, or follows from no card. */
export function carriedWords(scale: TakeScale | null, bodies: readonly CameraBody[]): string | null {
  if (!scale?.carried || scale.settingsAlone) return null;
  const { nearest, changed, uncertaintyStops, bodiesHeld, otherRound, joined } = scale;
  const { take } = nearest;
  const body = bodies.find((b) => b.id === take.bodyId)?.name ?? 'its body';
  const named = changed.map((c) => (c === 'body' && bodiesHeld ? 'body (held against each other on one panorama)' : c));
  const by = named.length === 0 ? 'the same exposure' : `what differs: ${named.join(', ')}`;
  const round = otherRound === null ? '' : ` in ${otherRound} of the same rig`;
  const more = [
    ...(joined.cards.length > 1 ? [`${joined.cards.length - 1} more`] : []),
    ...(joined.readings.length > 0
      ? [`${joined.readings.length} meter ${joined.readings.length === 1 ? 'reading' : 'readings'}`]
      : []),
  ];
  const beside = more.length === 0 ? '' : ` and ${more.join(', ')}`;
  return `carried from the ${nearest.kind} in ${takeName(take)} (${body})${round}${beside} by ${by}, ± ${uncertaintyStops.toFixed(2)} stop`;
}

/** Where the gain to a take's plate comes from, in words. */
export function gainFrom(scale: TakeScale, bodies: readonly CameraBody[]): string {
  const card = MEASURED_WORDS[scale.nearest.kind];
  if (scale.settingsAlone) return `settings alone: the ${card} in ${takeName(scale.nearest.take)} is set aside`;
  return carriedWords(scale, bodies) ?? `the ${card} in this take`;
}

/** What was assumed of the light between round, cards and take, as a line of what a package rests on. */
export const assumedDrift = (perHour: number): Basis['facts'][number] => ({
  name: 'change of the light',
  kind: 'assumed',
  source: `${perHour.toFixed(2)} stops an hour (one sigma), by clouds and the sun's height`,
  uncertainty: null,
  unit: '',
});

/** What was assumed of a surface that the gain rests on and of which the kit holds nothing; none where it does, or nothing rests on it. */
export function assumedReflectance({ joined }: TakeScale, facts: Basis['facts']): Basis['facts'] {
  const alone = joined.cards.find((c) => c.kind === 'surface')?.calibration.scale?.card;
  if (!alone || facts.some((f) => f.name === REFLECTANCE_OF_SURFACE)) return [];
  const source = `${alone.reflectance.toFixed(2)}, as such things usually have: the kit does not say which one it is`;
  return [{ name: REFLECTANCE_OF_SURFACE, kind: 'assumed', source, uncertainty: alone.reflectanceStops, unit: 'stop' }];
}

/** The gain to every take's own plate, as the list of takes states it. */
export function gainsOf(
  takes: readonly Owned<Take>[],
  scaleOf: (take: Owned<Take>) => TakeScale | null,
  bodies: readonly CameraBody[],
): Map<string, { stops: number; uncertaintyStops: number; from: string }> {
  return new Map(
    takes.flatMap((take) => {
      const scale = scaleOf(take);
      if (!scale) return [];
      return [
        [take.id, { stops: scale.gainStops, uncertaintyStops: scale.uncertaintyStops, from: gainFrom(scale, bodies) }],
      ];
    }),
  );
}
