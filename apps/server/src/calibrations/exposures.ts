import { In, type EntityManager } from 'typeorm';
import type { CameraBody, Exposures } from '@tawny/contract';
import { Bodies, Takes, type Owned, type StoredPanorama } from '../db/entities';
import { readingWithinS, takeWithinS } from '../records/timeWithin';
import type { Services } from '../services';
import { cardsOf, MEASURED_WORDS } from './cards';
import { daylightOf } from './daylightCheck';
import { joinExposures, takeName } from './joinExposures';
import { originOf } from './latest';
import { shownWords } from './meters';

/** Cards that were measured on a panorama, meters and settings of its setup under its light, joined. */
export async function exposuresOf(
  tx: EntityManager,
  services: Pick<Services, 'files'>,
  panorama: Owned<StoredPanorama>,
): Promise<Exposures> {
  const { productionId } = panorama;
  const { round, station } = await originOf(tx, panorama);
  const underIt = In([round.lightCondition, '']);
  const logged = await tx
    .getRepository(Takes)
    .findBy({ productionId, setupId: station.setupId, lightCondition: underIt });
  const measured = await cardsOf(tx, productionId, [panorama.id]);
  // A take that was measured counts, whatever was logged of its light since.
  const takes = [...new Map([...logged, ...measured.map((m) => m.take)].map((t) => [t.id, t])).values()].sort((a, b) =>
    takeName(a).localeCompare(takeName(b), 'en', { numeric: true }),
  );
  const bodies = await tx.getRepository(Bodies).findBy({ productionId });
  const bodyOf = (id: string) => bodies.find((b: CameraBody) => b.id === id)?.name ?? 'a body that is gone';
  const { network, of, cards, readings, unused, named, driftStopsPerHour, sensitivityKnown } = await joinExposures(
    tx,
    services,
    panorama,
    takes,
  );
  return {
    takes: takes.map((take) => {
      const { gainStops, uncertaintyStops, verdict } = of(take);
      const cards = measured
        .filter((m) => m.take.id === take.id)
        .map(({ kind, part, calibration }) => ({ what: MEASURED_WORDS[kind], part, number: calibration.number }));
      return {
        takeId: take.id,
        name: takeName(take),
        body: bodyOf(take.bodyId),
        gainStops,
        uncertaintyStops,
        verdict,
        cards,
      };
    }),
    absolute:
      network.absolute && (readings.length > 0 || sensitivityKnown)
        ? { ...network.absolute, provenance: readings.length > 0 ? 'measured' : 'predicted' }
        : null,
    sources: network.sources.map((s) => ({ ...s, name: named(s.name) })),
    faults: network.faults.map((f) => ({ ...f, sources: f.sources.map(named) })),
    driftStopsPerHour,
    roundTime: { planned: round.shotAtFrom === 'planned', withinS: round.shotAtUncertaintyS },
    timesAssumed: [
      ...[...new Map(cards.map((c) => [c.take.id, c.take])).values()].map((t) => ({
        name: takeName(t),
        withinS: takeWithinS(t),
      })),
      ...readings.map((r) => ({ name: shownWords(r), withinS: readingWithinS(r) })),
    ].filter((x) => x.withinS > 0),
    daylight: await daylightOf(tx, panorama, network.absolute),
    unused,
  };
}
