import type { EntityManager } from 'typeorm';
import { OBJECT_OF_SURFACE, type Calibration, type SurfaceKind, type SurfaceMarked } from '@tawny/contract';
import { carriedCamera, gainFromMetadata } from '@tawny/core';
import { Panoramas, type Owned, type StoredPanorama } from '../db/entities';
import { withDecodings } from '../decodings/withDecodings';
import { plateExposure } from '../plates/addPlate';
import { cameraOnPlate } from '../plates/cameraOnPlate';
import { ApiProblem } from '../problems';
import { useFact } from '../records/facts';
import { setPlace } from '../records/place';
import {
  factOfObject,
  kitObject,
  NOMINAL_REFLECTANCE,
  NOMINAL_STOPS,
  REFLECTANCE_OF_SURFACE,
  reflectanceWithin,
} from './kitObject';
import { besideMetadata, exposureFact } from './metadataGain';
import { driftTo, falloffAt, from, plateFactsOf, plateWith, withPanorama, type Help } from './patches';
import { storeCalibration } from './store';

const SURFACE_NAMES: Record<SurfaceKind, string> = {
  greyBall: 'Grey ball',
  chromeBall: 'Chrome ball',
  level: 'Level card',
  upright: 'Upright card',
};
/** Of a chrome ball that nobody measured, and how far others are from it (95 %, stops). */
const NOMINAL_CHROME = { value: 0.6, uncertaintyStops: 0.3 };

/** Measures the gain of a panorama to a plate by a ball or a plane that only the plate shows: the panorama's own light tells how bright it must be. */
export async function measureGainBySurface(
  tx: EntityManager,
  help: Help,
  panorama: Owned<StoredPanorama>,
  { plateId, plateCorners, kind, referenceObjectId }: SurfaceMarked,
): Promise<Calibration> {
  if (panorama.clippedSr > 0)
    throw new ApiProblem(
      422,
      'light-cut-off',
      'The brightest light of this panorama is cut off: how much of it falls on a thing is not known. Mark a card that both pictures show',
    );
  const { productionId } = panorama;
  const object = await kitObject(tx, productionId, OBJECT_OF_SURFACE[kind], referenceObjectId);
  const own = await plateWith(tx, productionId, plateId);
  const { plate, take, decoding } = own;
  const { setup, location } = await setPlace(tx, productionId, take.setupId);
  const { on } = await cameraOnPlate(tx, take, plate, location);
  const reflectance = object?.reflectance
    ? { value: object.reflectance, uncertaintyStops: reflectanceWithin(object) }
    : kind === 'chromeBall'
      ? NOMINAL_CHROME
      : { value: NOMINAL_REFLECTANCE, uncertaintyStops: NOMINAL_STOPS };
  const found = await withDecodings(tx, help.files, productionId, [{ ...plate, decoding }], ([picture]) =>
    withPanorama(help, panorama, (of) =>
      help.decoder.run(
        'measureSurface',
        picture,
        of,
        {
          kind,
          corners: plateCorners,
          reflectance,
          camera: { ...on.optics, tiltDeg: carriedCamera(take, location).tiltDeg },
          place: setup.kind === 'interior' || setup.kind === 'greenScreen' ? 'near' : 'open',
        },
        panorama.space,
      ),
    ),
  );
  const falloff = await falloffAt(tx, take, plate, plateCorners);
  const driftStops = await driftTo(tx, panorama, take);
  const within = Math.hypot(found.uncertaintyStops, falloff.uncertaintyStops);
  const metadata = gainFromMetadata(plateExposure(plate, take));
  const facts = [
    await useFact(tx, Panoramas, panorama, ['floatHash'], {
      name: 'light of the panorama',
      provenance: from('measured', 'what it throws on the surface'),
    }),
    ...(await plateFactsOf(tx, 'surface', own, within)),
    await exposureFact(tx, take, metadata.uncertaintyStops),
    ...(object ? [await factOfObject(tx, object, REFLECTANCE_OF_SURFACE)] : []),
  ];
  const gainStops = found.gainStops - falloff.stops;
  const measured = {
    ...besideMetadata(SURFACE_NAMES[kind], gainStops, Math.hypot(within, driftStops), metadata),
    card: {
      plateId,
      plateCorners,
      panoramaCorners: null,
      surface: {
        kind,
        headingDeg: found.headingDeg,
        spreadStops: found.spreadStops,
        litOtherwise: found.litOtherwise,
      },
      channelStops: [],
      falloffStops: falloff.stops,
      driftStops,
      reflectance: reflectance.value,
      reflectanceStops: reflectance.uncertaintyStops,
      luminance: null,
      facing: null,
    },
  };
  return storeCalibration(tx, productionId, panorama.id, 'scale', measured, { facts });
}
