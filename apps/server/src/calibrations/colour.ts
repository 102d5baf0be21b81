import type { EntityManager } from 'typeorm';
import type { Calibration, ChartInput, ColourFinding, ReferenceObject, RegionsInput } from '@tawny/contract';
import {
  applyMatrix,
  luminance,
  matchColours,
  median,
  type ColourMatrix,
  type PatchColour,
  type UncertainStops,
  type WorkingSpace,
} from '@tawny/core';
import type { Owned, StoredPanorama } from '../db/entities';
import { withDecodings } from '../decodings/withDecodings';
import { factOfObject, kitObject, NOMINAL_STOPS, reflectanceWithin } from './kitObject';
import {
  anglesOf,
  driftTo,
  factsOf,
  falloffAt,
  measureBoth,
  plateWith,
  withPanorama,
  type Help,
  type PlateWith,
} from './patches';
import { storeCalibration } from './store';

/** Names of the greys of a chart of 24 patches, but for the darkest. */
const GREYS = ['19', '20', '21', '22', '23'];
/** What things on the set, which are no matte cards and stand each in their own light, tell of a gain: 95 %, stops. */
const REGION_STOPS = 0.15;

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

interface InBoth extends PlateWith {
  inPlate: readonly PatchColour[];
  inPanorama: readonly PatchColour[];
}

/** What both pictures show of the same things, matched: all of a finding but where it was marked. */
async function matched(
  tx: EntityManager,
  panorama: Owned<StoredPanorama>,
  { take, inPlate, inPanorama }: InBoth,
  falloff: UncertainStops,
  keepWhite: boolean,
  ownStops: number,
) {
  const { patches, ...match } = matchColours(inPlate, inPanorama, panorama.space, { keepWhite });
  const rgbOf = (list: readonly PatchColour[], name: string) => [...list.find((p) => p.name === name)!.rgb] as [number, number, number]; // prettier-ignore
  const driftStops = await driftTo(tx, panorama, take);
  const kept = keptBy(match.matrix, patches, inPanorama, panorama.space);
  return {
    ...match,
    keepWhite,
    bodyId: take.bodyId,
    formatName: take.formatName,
    matrix: match.matrix.map((v) => v / kept),
    gainStops: match.gainStops + Math.log2(kept) - falloff.stops,
    uncertaintyStops: Math.hypot(match.uncertaintyStops, falloff.uncertaintyStops, ownStops, driftStops),
    driftStops,
    patches: patches.map((p) => ({ ...p, plate: rgbOf(inPlate, p.name), panorama: rgbOf(inPanorama, p.name) })),
  };
}

/** Luminance of a perfect white in the light of some patches whose reflectances are stated; null where none counts. */
function whiteOf(
  found: Pick<ColourFinding, 'patches'>,
  reflectanceOf: (name: string) => number | null,
  space: WorkingSpace,
): number | null {
  const whites = found.patches.flatMap(({ name, reason, panorama }) => {
    const reflectance = reflectanceOf(name);
    return reason === null && reflectance !== null ? [luminance(...panorama, space) / reflectance] : [];
  });
  return whites.length === 0 ? null : median(whites);
}

/** Reflectance of a grey of a chart, by the kit's table. */
const greyOf = (chart: ReferenceObject | null) => (name: string) => {
  const patch = GREYS.includes(name) ? chart?.patches[Number(name) - 1] : undefined;
  return patch ? luminance(...patch, 'rec709') : null;
};

/** Matches the colours of a panorama to those of a plate by a chart in both; its greys tell the gain, too. */
export async function measureColour(
  tx: EntityManager,
  help: Help,
  panorama: Owned<StoredPanorama>,
  { keepWhite, referenceObjectId, ...marked }: ChartInput,
): Promise<Calibration> {
  const chart = await kitObject(tx, panorama.productionId, 'chart', referenceObjectId);
  const both = await measureBoth(tx, help, 'chart', panorama, marked);
  const falloff = await falloffAt(tx, both.take, both.plate, marked.plateCorners);
  const match = await matched(tx, panorama, both, falloff, keepWhite, 0);
  const whiteInPanorama = whiteOf(match, greyOf(chart), panorama.space);
  const found: ColourFinding = {
    ...marked,
    ...match,
    regions: [],
    whiteInPanorama,
    reflectanceStops: reflectanceWithin(chart),
  };
  const facts = [
    ...(await factsOf(tx, 'chart', panorama, both, found.uncertaintyStops)),
    ...(chart ? [await factOfObject(tx, chart, 'reflectances of the chart')] : []),
  ];
  return storeCalibration(tx, panorama.productionId, panorama.id, 'colour', found, { facts });
}

/** The same by things that both pictures show where no chart was there: references of known reflectance, or anything. */
export async function measureRegions(
  tx: EntityManager,
  { files, decoder }: Help,
  panorama: Owned<StoredPanorama>,
  { plateId, regions }: RegionsInput,
): Promise<Calibration> {
  const { productionId, space } = panorama;
  const own = await plateWith(tx, productionId, plateId);
  // Two of a name are told apart.
  const named = regions.map((r, k) => ({ ...r, name: `${k + 1} ${r.name}` }));
  const inPlate = await withDecodings(tx, files, productionId, [{ ...own.plate, decoding: own.decoding }], ([picture]) =>
    decoder.run('regionsOnPlate', picture, named.map((r) => ({ name: r.name, corners: r.plateCorners })), space),
  ); // prettier-ignore
  const inPanorama = await withPanorama({ files }, panorama, (of) =>
    decoder.run('regionsOnPanorama', of, named.map((r) => ({ name: r.name, corners: anglesOf(r.panoramaCorners) }))),
  ); // prettier-ignore
  const falloff = await falloffAt(
    tx,
    own.take,
    own.plate,
    named.flatMap((r) => r.plateCorners),
  );
  const match = await matched(tx, panorama, { ...own, inPlate, inPanorama }, falloff, false, REGION_STOPS);
  const { plateCorners, panoramaCorners } = regions[0];
  const stated = (name: string) => named.find((r) => r.name === name)?.reflectance ?? null;
  const found: ColourFinding = {
    plateId,
    plateCorners,
    panoramaCorners,
    regions,
    ...match,
    whiteInPanorama: whiteOf(match, stated, space),
    reflectanceStops: NOMINAL_STOPS,
  };
  const facts = await factsOf(tx, 'regions', panorama, own, found.uncertaintyStops);
  return storeCalibration(tx, productionId, panorama.id, 'colour', found, { facts });
}
