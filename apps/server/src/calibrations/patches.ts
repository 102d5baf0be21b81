import type { EntityManager } from 'typeorm';
import type { PanoramaCorners, PlateCorners, Take } from '@tawny/contract';
import {
  DEG,
  expectedFalloff,
  type Angles,
  type Point,
  type Provenance,
  type ProvenanceKind,
  type UncertainStops,
} from '@tawny/core';
import { Bodies, Panoramas, Plates, Takes, type Owned, type StoredPanorama, type StoredPlate } from '../db/entities';
import type { PanoramaFiles, PatchesOf, PatchKind } from '../decode/patches';
import { statedDecodingOf } from '../decodings/stated';
import { withDecodings } from '../decodings/withDecodings';
import { pixelsOf } from '../panoramas/operations';
import { cameraOnPlate } from '../plates/cameraOnPlate';
import { ApiProblem } from '../problems';
import { useFact, type UsedFact } from '../records/facts';
import { findOwned } from '../records/find';
import { setPlace } from '../records/place';
import type { Services } from '../services';
import { originOf } from './latest';
import { driftFrom, lightDrift } from './lightDrift';

export type Help = Pick<Services, 'files' | 'decoder'>;

export interface Marked {
  plateId: string;
  plateCorners: PlateCorners;
  panoramaCorners: PanoramaCorners;
}

export const from = (kind: ProvenanceKind, source: string): Provenance => ({ kind, source, at: null });

/** Where the meaning of a plate's code values comes from, as provenance. */
const DECODING_KINDS = { entered: 'logged', file: 'fromFile', kit: 'logged' } as const;

/** Without a camera that is known, what a lens is taken to take somewhere in its picture: none to a quarter of a stop. */
const UNKNOWN_FALLOFF: UncertainStops = { stops: -0.1, uncertaintyStops: 0.15 };

/** Files of a panorama at full size, to be read by a task. */
export function withPanorama<T>(
  { files }: Pick<Services, 'files'>,
  panorama: StoredPanorama,
  use: (files: PanoramaFiles) => Promise<T>,
): Promise<T> {
  const hashes = [panorama.exrHash, ...(panorama.measureHash === null ? [] : [panorama.measureHash])];
  return files.withLocalFiles(hashes, ([exrPath, measurePath]) =>
    use({ exrPath, measurePath: measurePath ?? null, pixels: pixelsOf(panorama) }),
  );
}

export const anglesOf = (corners: PanoramaCorners): Angles[] =>
  corners.map(([azimuthDeg, elevationDeg]) => ({ azimuthDeg, elevationDeg }));

/** A plate with its take and what its codes mean. */
export async function plateWith(tx: EntityManager, productionId: string, plateId: string) {
  const plate = await findOwned(tx, Plates, productionId, plateId, 'plate');
  const take = await findOwned(tx, Takes, productionId, plate.takeId, 'take');
  return { plate, take, decoding: await statedDecodingOf(tx, plate) };
}
export type PlateWith = Awaited<ReturnType<typeof plateWith>>;

/** The same card or chart in plate and panorama. */
export async function measureBoth<K extends PatchKind>(
  tx: EntityManager,
  { files, decoder }: Help,
  kind: K,
  panorama: Owned<StoredPanorama>,
  { plateId, plateCorners, panoramaCorners }: Marked,
) {
  const { productionId } = panorama;
  const own = await plateWith(tx, productionId, plateId);
  const { plate, decoding } = own;
  const inPlate = await withDecodings(tx, files, productionId, [{ ...plate, decoding }], ([picture]) =>
    decoder.run('measureOnPlate', kind, picture, plateCorners, panorama.space),
  );
  const { patches, facing } = await withPanorama({ files }, panorama, (of) =>
    decoder.run('measureOnPanorama', kind, of, anglesOf(panoramaCorners)),
  );
  return { ...own, inPlate: inPlate as PatchesOf<K>, inPanorama: patches as PatchesOf<K>, facing };
}

/** What the lens of a take is expected to take where something is marked; wider where nobody knows its camera. */
export async function falloffAt(
  tx: EntityManager,
  take: Owned<Take>,
  plate: Owned<StoredPlate>,
  corners: readonly Point[],
): Promise<UncertainStops> {
  const { location } = await setPlace(tx, take.productionId, take.setupId);
  let optics;
  try {
    ({ optics } = (await cameraOnPlate(tx, take, plate, location)).on);
  } catch (error) {
    if (error instanceof ApiProblem && error.code === 'no-camera') return UNKNOWN_FALLOFF;
    throw error;
  }
  const [x, y] = [0, 1].map((k) => corners.reduce((s, c) => s + c[k], 0) / corners.length);
  const [u, v] = [
    (x * plate.widthPx - optics.centreXPx) / optics.focalXPx,
    (y * plate.heightPx - optics.centreYPx) / optics.focalYPx,
  ];
  return expectedFalloff(Math.atan(Math.hypot(u, v)) / DEG);
}

/** What the light of the set may have changed by between the round of a panorama and a take, 95 %, stops. */
export async function driftTo(tx: EntityManager, panorama: Owned<StoredPanorama>, take: Take): Promise<number> {
  const { round, station } = await originOf(tx, panorama);
  const perHour = await lightDrift(tx, panorama.productionId, station.setupId, new Date(round.shotAt));
  return driftFrom(perHour, round, take);
}

/** Facts that a card or chart in both pictures rests on; `of` names it. */
export async function factsOf(
  tx: EntityManager,
  of: PatchKind | 'regions',
  panorama: Owned<StoredPanorama>,
  own: PlateWith,
  within: number,
): Promise<UsedFact[]> {
  return [
    await useFact(tx, Panoramas, panorama, ['floatHash'], {
      name: `${of} in the panorama`,
      provenance: from('measured', 'marked by hand'),
    }),
    ...(await plateFactsOf(tx, of, own, within)),
  ];
}

/** What of that is the plate's. */
export async function plateFactsOf(
  tx: EntityManager,
  of: PatchKind | 'regions' | 'surface',
  { plate, take, decoding }: PlateWith,
  within: number,
): Promise<UsedFact[]> {
  const plain = of === 'card' || of === 'surface';
  const which = plain ? 'plate' : of;
  const body = await findOwned(tx, Bodies, take.productionId, take.bodyId, 'camera body');
  return [
    await useFact(tx, Plates, plate, ['hash'], {
      name: `${of} in the plate`,
      provenance: from('measured', plate.name),
      uncertainty: within,
      unit: 'stop',
    }),
    await useFact(tx, Plates, plate, ['fileDecoding', 'enteredDecoding'], {
      name: `decoding of the ${which}`,
      provenance: from(DECODING_KINDS[decoding.from!], decoding.source),
    }),
    ...(decoding.from === 'kit'
      ? [
          await useFact(tx, Bodies, body, ['formats'], {
            name: plain ? 'recording format' : `recording format of the ${of}`,
            provenance: from('logged', `${body.name}, ${take.formatName}`),
          }),
        ]
      : []),
  ];
}
