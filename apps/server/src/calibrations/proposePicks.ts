import type { EntityManager } from 'typeorm';
import type { Proposals } from '@tawny/contract';
import { Plates, Takes, type Owned, type StoredPanorama } from '../db/entities';
import { withDecodings } from '../decodings/withDecodings';
import { statedDecodingOf } from '../decodings/stated';
import { pixelsOf } from '../panoramas/operations';
import { cameraOnPlate } from '../plates/cameraOnPlate';
import { findOwned } from '../records/find';
import { setPlace } from '../records/place';
import type { Services } from '../services';

/** How far tilts of camera and panorama together may be off: of one that was measured or logged, and of one that nobody looked at, degrees. */
const TILT_WITHIN = { known: 3, unknown: 16 } as const;

/** Proposes what a plate and a panorama both show; nothing is kept. @throws ApiProblem when the kit does not know the take's camera, or nobody said what the plate's codes mean */
export async function proposeFor(
  tx: EntityManager,
  { files, decoder }: Pick<Services, 'files' | 'decoder'>,
  panorama: Owned<StoredPanorama>,
  plateId: string,
): Promise<Proposals> {
  const { productionId } = panorama;
  const plate = await findOwned(tx, Plates, productionId, plateId, 'plate');
  const take = await findOwned(tx, Takes, productionId, plate.takeId, 'take');
  const { location } = await setPlace(tx, productionId, take.setupId);
  const { on } = await cameraOnPlate(tx, take, plate, location);
  const seen = take.pictureCamera;
  const tiltDeg = seen?.tiltDeg ?? take.tiltDeg;
  const pose = {
    tiltDeg: tiltDeg ?? 0,
    rollDeg: seen?.rollDeg ?? 0,
    tiltWithinDeg: tiltDeg === null ? TILT_WITHIN.unknown : TILT_WITHIN.known,
  };
  const decoding = await statedDecodingOf(tx, plate);
  return files.withLocalFiles([panorama.floatHash], ([path]) =>
    withDecodings(tx, files, productionId, [{ ...plate, decoding }], ([picture]) =>
      decoder.run('proposals', { path, pixels: pixelsOf(panorama) }, picture, on.optics, pose),
    ),
  );
}
