import type { EntityManager } from 'typeorm';
import type { Calibration, ColourFinding, PanoramaCorners, PlateCorners, StatedDecoding, Take } from '@tawny/contract';
import {
  applyMatrix,
  DEG,
  luminance,
  expectedFalloff,
  findingOf,
  gainFromCard,
  gainFromMetadata,
  matchColours,
  type Angles,
  type ColourMatrix,
  type PatchColour,
  type WorkingSpace,
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
import { plateExposure } from '../plates/addPlate';
import { cameraOnPlate } from '../plates/cameraOnPlate';
import { ApiProblem } from '../problems';
import { useFact, type UsedFact } from '../records/facts';
import { findOwned } from '../records/find';
import { setPlace } from '../records/place';
import type { Services } from '../services';
import { originOf } from './latest';
import { driftBetween, lightDrift } from './lightDrift';
import { storeCalibration } from './store';

type Help = Pick<Services, 'files' | 'decoder'>;

interface Marked {
  plateId: string;
  plateCorners: PlateCorners;
  panoramaCorners: PanoramaCorners;
}

const from = (kind: ProvenanceKind, source: string): Provenance => ({ kind, source, at: null });

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

/** The same card or chart in plate and panorama. */
async function measureBoth<K extends PatchKind>(
  tx: EntityManager,
  { files, decoder }: Help,
  kind: K,
  panorama: Owned<StoredPanorama>,
  { plateId, plateCorners, panoramaCorners }: Marked,
) {
  const { productionId } = panorama;
  const plate = await findOwned(tx, Plates, productionId, plateId, 'plate');
  const take = await findOwned(tx, Takes, productionId, plate.takeId, 'take');
  const decoding = await statedDecodingOf(tx, plate);
  const inPlate = await withDecodings(tx, files, productionId, [{ ...plate, decoding }], ([picture]) =>
    decoder.run('measureOnPlate', kind, picture, plateCorners, panorama.space),
  );
  const inPanorama = await withPanorama({ files }, panorama, (of) =>
    decoder.run('measureOnPanorama', kind, of, anglesOf(panoramaCorners)),
  );
  return { plate, take, decoding, inPlate: inPlate as PatchesOf<K>, inPanorama: inPanorama as PatchesOf<K> };
}

/** What the lens of a take is expected to take where something is marked; wider where nobody knows its camera. */
async function falloffAt(
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
async function driftTo(tx: EntityManager, panorama: Owned<StoredPanorama>, take: Take): Promise<number> {
  const { round, station } = await originOf(tx, panorama);
  const [shot, taken] = [new Date(round.shotAt), new Date(take.shotAt)];
  return driftBetween(await lightDrift(tx, panorama.productionId, station.setupId, shot), shot, taken);
}

/** Facts that a card or chart in both pictures rests on; `of` names it. */
async function factsOf(
  tx: EntityManager,
  of: 'card' | 'chart',
  panorama: Owned<StoredPanorama>,
  { plate, take, decoding }: { plate: Owned<StoredPlate>; take: Owned<Take>; decoding: StatedDecoding },
  within: number,
): Promise<UsedFact[]> {
  const which = of === 'card' ? 'plate' : 'chart';
  const body = await findOwned(tx, Bodies, take.productionId, take.bodyId, 'camera body');
  return [
    await useFact(tx, Panoramas, panorama, ['floatHash'], {
      name: `${of} in the panorama`,
      provenance: from('measured', 'marked by hand'),
    }),
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
            name: of === 'card' ? 'recording format' : 'recording format of the chart',
            provenance: from('logged', `${body.name}, ${take.formatName}`),
          }),
        ]
      : []),
  ];
}

/** Measures the gain of a panorama to a plate by a grey card in both. */
export async function measureGain(
  tx: EntityManager,
  help: Help,
  panorama: Owned<StoredPanorama>,
  marked: Marked,
): Promise<Calibration> {
  const both = await measureBoth(tx, help, 'card', panorama, marked);
  const { plate, take } = both;
  const falloff = await falloffAt(tx, take, plate, marked.plateCorners);
  const card = gainFromCard(both.inPlate, both.inPanorama, falloff);
  const driftStops = await driftTo(tx, panorama, take);
  const metadata = gainFromMetadata(plateExposure(plate, take));
  const facts = [
    ...(await factsOf(tx, 'card', panorama, both, card.uncertaintyStops)),
    await useFact(tx, Takes, take, ['tStop', 'ndStops', 'shutterAngleDeg', 'fps', 'ei'], {
      name: 'exposure of the take',
      provenance: from('logged', `${take.slate}/${take.take}${take.camera}`),
      uncertainty: metadata.uncertaintyStops,
      unit: 'stop',
    }),
  ];
  const finding = findingOf([
    {
      name: 'Grey card',
      value: card.gainStops,
      uncertainty: Math.hypot(card.uncertaintyStops, driftStops),
      provenance: from('measured', 'grey card'),
    },
    {
      name: 'Metadata',
      value: metadata.gainStops,
      uncertainty: metadata.uncertaintyStops,
      provenance: from('predicted', 'exposures of plate and rig'),
    },
  ]);
  const { channelStops } = card;
  const measured = { ...finding, card: { ...marked, channelStops, falloffStops: falloff.stops, driftStops } };
  return storeCalibration(tx, panorama.productionId, panorama.id, 'scale', measured, { facts });
}

/** Names of the greys of a chart of 24 patches, but for the darkest. */
const GREYS = ['19', '20', '21', '22', '23'];

/** What a matrix makes of the luminance of the greys of a chart as a panorama shows them; of all its patches where no grey counts. */
function keptBy(
  matrix: readonly number[],
  matched: readonly { name: string; reason: string | null }[],
  patches: readonly PatchColour[],
  space: WorkingSpace,
): number {
  const counts = patches.filter((p) => matched.some((m) => m.name === p.name && m.reason === null));
  const greys = counts.filter((p) => GREYS.includes(p.name));
  const sum = [0, 1, 2].map((c) => (greys.length > 0 ? greys : counts).reduce((s, p) => s + p.rgb[c], 0));
  const through = Float32Array.from(sum);
  applyMatrix(through, matrix as unknown as ColourMatrix);
  return luminance(through[0], through[1], through[2], space) / luminance(sum[0], sum[1], sum[2], space);
}

/** Matches the colours of a panorama to those of a plate by a chart in both; its greys tell the gain, too. */
export async function measureColour(
  tx: EntityManager,
  help: Help,
  panorama: Owned<StoredPanorama>,
  { keepWhite, ...marked }: Marked & { keepWhite: boolean },
): Promise<Calibration> {
  const both = await measureBoth(tx, help, 'chart', panorama, marked);
  const { plate, take, inPlate, inPanorama } = both;
  const falloff = await falloffAt(tx, take, plate, marked.plateCorners);
  const { patches, ...match } = matchColours(inPlate, inPanorama, panorama.space, { keepWhite });
  const rgbOf = (list: typeof inPlate, name: string) => [...list.find((p) => p.name === name)!.rgb] as [number, number, number]; // prettier-ignore
  const driftStops = await driftTo(tx, panorama, take);
  const kept = keptBy(match.matrix, patches, inPanorama, panorama.space);
  const found: ColourFinding = {
    ...marked,
    ...match,
    keepWhite,
    bodyId: take.bodyId,
    formatName: take.formatName,
    matrix: match.matrix.map((v) => v / kept),
    gainStops: match.gainStops + Math.log2(kept) - falloff.stops,
    uncertaintyStops: Math.hypot(match.uncertaintyStops, falloff.uncertaintyStops, driftStops),
    driftStops,
    patches: patches.map((p) => ({ ...p, plate: rgbOf(inPlate, p.name), panorama: rgbOf(inPanorama, p.name) })),
  };
  const facts = await factsOf(tx, 'chart', panorama, both, found.uncertaintyStops);
  return storeCalibration(tx, panorama.productionId, panorama.id, 'colour', found, { facts });
}
