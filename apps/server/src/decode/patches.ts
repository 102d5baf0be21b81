import { readFile } from 'node:fs/promises';
import sharp from 'sharp';
import {
  anglesFromDirection,
  boxShrink,
  cardNormal,
  decodeUncertainty,
  directionFromAngles,
  illuminance,
  luminance,
  resampleLatlong,
  sampleCard,
  type Sampling,
  CHART_6X4,
  CLIPPED,
  findChart,
  flatAngles,
  flatMask,
  flatPixel,
  flatView,
  inSpace,
  measureCard,
  plateCharacter,
  sampleChart,
  viewAround,
  type Angles,
  type Corners,
  type FlatView,
  type PatchColour,
  type PatchMeasure,
  type Pixels,
  type PlateCharacter,
  type Point,
  type RgbImage,
  type WorkingSpace,
} from '@tawny/core';
import { readExr } from '@tawny/formats';
import { encodeFloatPicture, readMeasuredPicture } from '@tawny/pipeline';
import { decodingFor, type TaskDecoding } from './taskDecoding';

export interface PlateFile {
  path: string;
  name: string;
  decoding: TaskDecoding;
}

/** A panorama as it was stored: its OpenEXR file at full size, and its mask where it has one. */
export interface PanoramaFiles {
  exrPath: string;
  measurePath: string | null;
  pixels: Pixels;
}

/** What is marked: a card, or a chart's patches. */
export type PatchKind = 'card' | 'chart';
export type PatchesOf<K extends PatchKind> = K extends 'card' ? PatchMeasure : PatchColour[];

/** As wide as the sight shows a plate. */
const SIGHT_PX = 1600;
/** Of what is shown of a panorama, so many pixels are searched for a chart. */
const SEARCHED_PX = 1440;
/** Degrees across the parts that are looked at closely. */
const PART_DEG = 45;
/** People hold a chart at their chest: a little below a head on a tripod. */
const HELD_DEG = -8;

/** A plate's pixels as light. @throws FileProblem naming the file */
export const plateLight = async ({ path, name, decoding }: PlateFile) =>
  readMeasuredPicture(path, name, await decodingFor(decoding));

/** A plate's light for a screen: scene-linear Rec. 709, shrunk by a whole factor, in the form of `encodeFloatPicture`. @throws FileProblem naming the file */
export async function lightOfPlate(plate: PlateFile): Promise<Uint8Array> {
  const { image } = await plateLight(plate);
  return encodeFloatPicture(inSpace(boxShrink(image, Math.max(1, Math.ceil(image.width / SIGHT_PX))), 'rec709'));
}

/** Black level, grain and edge blur of a plate, in its own primaries. @throws FileProblem naming the file, RangeError when nothing in it is even */
export async function characterOfPlate(plate: PlateFile): Promise<PlateCharacter> {
  return plateCharacter((await plateLight(plate)).image);
}

function measured<K extends PatchKind>(
  kind: K,
  image: RgbImage,
  corners: Corners,
  owner: 'plate' | 'panorama',
  how: Sampling,
): PatchesOf<K> {
  if (kind === 'card') return measureCard(image, corners, owner, how) as PatchesOf<K>;
  try {
    return sampleChart(image, corners, CHART_6X4, how) as PatchesOf<K>;
  } catch (error) {
    throw error instanceof RangeError ? new RangeError(`the chart in the ${owner}: ${error.message}`) : error;
  }
}

/**
 * A card, or a chart's patches, of a plate in a working space.
 * @param corners shares of width and height
 * @throws FileProblem naming the file, RangeError on corners that cannot be measured
 */
export async function measureOnPlate<K extends PatchKind>(
  kind: K,
  plate: PlateFile,
  corners: readonly Point[],
  space: WorkingSpace,
): Promise<PatchesOf<K>> {
  const { image, clipped } = await plateLight(plate);
  return measured(kind, inSpace(image, space), pixelsIn(image, corners), 'plate', { clipped });
}

/** Shares of the sides to pixels. */
export const pixelsIn = ({ width, height }: RgbImage, corners: readonly Point[]) =>
  corners.map(([x, y]) => [x * width, y * height]) as unknown as Corners;

/** Things that a plate shows, each by four corners. @throws as `measureOnPlate`, naming the region */
export async function regionsOnPlate(
  plate: PlateFile,
  regions: readonly { name: string; corners: readonly Point[] }[],
  space: WorkingSpace,
): Promise<PatchColour[]> {
  const { image, clipped } = await plateLight(plate);
  const inPlate = inSpace(image, space);
  return regions.map(({ name, corners }) => region(name, 'plate', inPlate, pixelsIn(image, corners), { clipped }));
}

function region(name: string, owner: string, image: RgbImage, corners: Corners, how: Sampling): PatchColour {
  try {
    return { ...sampleCard(image, corners, how), name };
  } catch (error) {
    throw error instanceof RangeError ? new RangeError(`${name} in the ${owner}: ${error.message}`) : error;
  }
}

export async function panoramaLight({ exrPath, pixels }: PanoramaFiles): Promise<RgbImage> {
  return { ...readExr(await readFile(exrPath), 'panorama.exr').image, ...pixels };
}

/** Mask and uncertainty of a panorama as they were stored, a byte each and pixel, maybe smaller than it; null of one that was made elsewhere. */
async function measuredWith({ measurePath }: PanoramaFiles) {
  if (measurePath === null) return null;
  const { data, info } = await sharp(measurePath).raw().toBuffer({ resolveWithObject: true });
  const channel = (k: number) => {
    const out = new Uint8Array(info.width * info.height);
    for (let i = 0; i < out.length; i++) out[i] = data[i * info.channels + k];
    return out;
  };
  return { width: info.width, mask: channel(0), codes: channel(1) };
}
type MeasuredWith = Awaited<ReturnType<typeof measuredWith>>;

/** A part of a panorama looked at straight on, with where light was cut off and how well each pixel is known. */
function lookAt(image: RgbImage, known: MeasuredWith, corners: readonly Angles[]) {
  const view = viewAround(corners, image.width);
  const how: Sampling = known
    ? {
        clipped: flatMask(known.mask, known.width, view).map((v) => Number(v === CLIPPED)),
        uncertainty: Float32Array.from(flatMask(known.codes, known.width, view), decodeUncertainty),
      }
    : {};
  return { flat: flatView(image, view), inPixels: corners.map((c) => flatPixel(view, c)) as unknown as Corners, how };
}

/** Where a card faces in a panorama's own frame, and the luminance that a perfect white there would have by the panorama's light. */
export interface Facing extends Angles {
  uncertaintyDeg: number;
  white: number;
}

/** The same of a panorama at its full resolution, looked at straight on; of a card also where it faces, null where its corners do not tell. @param corners in its own frame */
export async function measureOnPanorama<K extends PatchKind>(
  kind: K,
  panorama: PanoramaFiles,
  corners: readonly Angles[],
): Promise<{ patches: PatchesOf<K>; facing: Facing | null }> {
  const image = await panoramaLight(panorama);
  const { flat, inPixels, how } = lookAt(image, await measuredWith(panorama), corners);
  const patches = measured(kind, flat, inPixels, 'panorama', how);
  return { patches, facing: kind === 'card' ? facingOf(image, corners) : null };
}

/** Things that a panorama shows, each by four corners. @throws as `measureOnPanorama`, naming the region */
export async function regionsOnPanorama(
  panorama: PanoramaFiles,
  regions: readonly { name: string; corners: readonly Angles[] }[],
): Promise<PatchColour[]> {
  const [image, known] = [await panoramaLight(panorama), await measuredWith(panorama)];
  return regions.map(({ name, corners }) => {
    const { flat, inPixels, how } = lookAt(image, known, corners);
    return region(name, 'panorama', flat, inPixels, how);
  });
}

/** As wide is a panorama large enough to tell what falls on a plane. */
const PLANE_PX = 1024;

function facingOf(image: RgbImage, corners: readonly Angles[]): Facing | null {
  const [a, b, c, d] = corners.map(({ azimuthDeg, elevationDeg }) => directionFromAngles(azimuthDeg, elevationDeg));
  const found = cardNormal([a, b, c, d], 360 / image.width);
  if (!found) return null;
  const small = image.width > PLANE_PX ? resampleLatlong(image, PLANE_PX) : image;
  const white = luminance(...illuminance(small, found.normal), image.space) / Math.PI;
  return { ...anglesFromDirection(found.normal), uncertaintyDeg: found.uncertaintyDeg, white };
}

interface Found<C> {
  corners: C;
  mirrored: boolean;
  odd: string[];
}

/** A chart of 24 patches in a plate, shares of width and height; null when there is none. @throws FileProblem naming the file */
export async function chartOnPlate(plate: PlateFile): Promise<Found<Point[]> | null> {
  const { image } = await plateLight(plate);
  const found = findChart(inSpace(image, 'rec709'));
  return (
    found && {
      corners: found.corners.map(([x, y]): Point => [x / image.width, y / image.height]),
      mirrored: found.mirrored,
      odd: found.odd,
    }
  );
}

/** What is shown of a panorama as a whole, then in parts that overlap by half, then all round: a small chart is found by looking closely. */
function viewsOf(shown: Angles & { spanDeg: number }, panoramaWidth: number): FlatView[] {
  const at = (azimuthDeg: number, elevationDeg: number, spanDeg: number): FlatView => {
    // Finer than the panorama is, there is nothing to find.
    const px = Math.min(SEARCHED_PX, Math.ceil((panoramaWidth * spanDeg) / 360));
    return { azimuthDeg, elevationDeg, spanDeg, width: px, height: px };
  };
  const row = (from: number, elevationDeg: number, count: number) =>
    Array.from({ length: count }, (_, k) => at(from + (k * PART_DEG) / 2, elevationDeg, PART_DEG));
  const parts = shown.spanDeg > PART_DEG ? Math.ceil((2 * shown.spanDeg) / PART_DEG) - 1 : 0;
  return [
    at(shown.azimuthDeg, shown.elevationDeg, shown.spanDeg),
    ...row(shown.azimuthDeg - shown.spanDeg / 2 + PART_DEG / 2, shown.elevationDeg, parts),
    ...row(shown.azimuthDeg + shown.spanDeg / 2, HELD_DEG, 720 / PART_DEG),
  ];
}

/** The same in a panorama: first in what is shown of it. */
export async function chartOnPanorama(
  panorama: PanoramaFiles,
  shown: Angles & { spanDeg: number },
): Promise<Found<Angles[]> | null> {
  const image = inSpace(await panoramaLight(panorama), 'rec709');
  for (const view of viewsOf(shown, image.width)) {
    const found = findChart(flatView(image, view));
    if (found)
      return {
        corners: found.corners.map((c) => flatAngles(view, c)),
        mirrored: found.mirrored,
        odd: found.odd,
      };
  }
  return null;
}
