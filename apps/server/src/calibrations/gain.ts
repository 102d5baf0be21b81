import type { EntityManager } from 'typeorm';
import type { Calibration, Scale } from '@tawny/contract';
import { gainFromCard, gainFromMetadata } from '@tawny/core';
import type { Owned, StoredPanorama } from '../db/entities';
import type { Facing } from '../decode/patches';
import { plateExposure } from '../plates/addPlate';
import { factOfObject, kitObject, NOMINAL_REFLECTANCE, reflectanceWithin } from './kitObject';
import { besideMetadata, exposureFact } from './metadataGain';
import { driftTo, factsOf, falloffAt, measureBoth, type Help, type Marked } from './patches';
import { storeCalibration } from './store';

/** Where the card faces, and how much brighter it is than what the panorama throws there; the panorama that was clipped does not know. */
function facingOf(found: Facing | null, panorama: StoredPanorama, white: number): Scale['card']['facing'] {
  if (!found) return null;
  const { white: thrown, ...facing } = found;
  return { ...facing, apartStops: panorama.clippedSr > 0 || !(thrown > 0) ? null : Math.log2(white / thrown) };
}

/** Measures the gain of a panorama to a plate by a grey card in both. */
export async function measureGain(
  tx: EntityManager,
  help: Help,
  panorama: Owned<StoredPanorama>,
  { referenceObjectId, ...marked }: Marked & { referenceObjectId: string | null },
): Promise<Calibration> {
  const object = await kitObject(tx, panorama.productionId, 'greyCard', referenceObjectId);
  const both = await measureBoth(tx, help, 'card', panorama, marked);
  const { plate, take, inPanorama } = both;
  const falloff = await falloffAt(tx, take, plate, marked.plateCorners);
  const card = gainFromCard(both.inPlate, inPanorama, falloff);
  const driftStops = await driftTo(tx, panorama, take);
  const reflectance = object?.reflectance ?? NOMINAL_REFLECTANCE;
  const metadata = gainFromMetadata(plateExposure(plate, take));
  const facts = [
    ...(await factsOf(tx, 'card', panorama, both, card.uncertaintyStops)),
    await exposureFact(tx, take, metadata.uncertaintyStops),
    ...(object ? [await factOfObject(tx, object, 'reflectance of the card')] : []),
  ];
  const finding = besideMetadata('Grey card', card.gainStops, Math.hypot(card.uncertaintyStops, driftStops), metadata);
  const measured = {
    ...finding,
    card: {
      ...marked,
      surface: null,
      channelStops: card.channelStops,
      falloffStops: falloff.stops,
      driftStops,
      reflectance,
      reflectanceStops: reflectanceWithin(object),
      luminance: inPanorama.luminance,
      facing: facingOf(both.facing, panorama, inPanorama.luminance / reflectance),
    },
  };
  return storeCalibration(tx, panorama.productionId, panorama.id, 'scale', measured, { facts });
}
