import { expect, type APIRequestContext } from '@playwright/test';
import {
  anglesAtPixel,
  arcDeg,
  createImage,
  directionFromAngles,
  photometricExposure,
  RELATIVE_REC709,
  srgbToLinear,
  sunPosition,
  wrap180,
  type RgbImage,
} from '@tawny/core';
import sharp from 'sharp';
import type { Calibration, Job, LightRound, Location, Panorama, Plate, Station, Take } from '@tawny/contract';
import { benchRound, ended, getJson, newTake, patchJson, postJson, sendFiles } from './api';
import { panoramaFile } from './frames';
import { once } from './once';

/** Where things stand in the panorama's own frame, before anybody knows north. */
export const SUN_AT = 250;
export const CARD = { azimuthDeg: 100, elevationDeg: -5, acrossDeg: 12, upDeg: 8 };
/** Wide enough for what most tests ask; where the sun stands to a fraction of a pixel, twice that. */
export const WIDTH = 512;
export const FINE_WIDTH = 1024;
export const CARD_CODE = 124;
export const TAKE = { tStop: 8, ei: 800, shutterAngleDeg: 180, fps: 24, ndStops: 4 };
/** Of the plate by its take's log: shutter 1/48 s. */
export const PLATE_EXPOSURE = photometricExposure({
  shutterS: 1 / 48,
  iso: TAKE.ei,
  tStop: TAKE.tStop,
  ndStops: TAKE.ndStops,
});
/** What the card sends, in panorama units: a fifth of a stop less than the tags of both cameras promise. */
export const CARD_LIGHT = (srgbToLinear(CARD_CODE / 255) / PLATE_EXPOSURE) * 2 ** 0.2;
export const SUN_LIGHT = 6e7;

/** Sky, ground, a card and a round sun at a given elevation, sampled on the pixel grid. */
export function litSet(sunElevationDeg: number, sky: 'blue' | 'grey' = 'blue', width = WIDTH): RgbImage {
  const image = createImage(width, width / 2, RELATIVE_REC709);
  const sun = directionFromAngles(SUN_AT, sunElevationDeg);
  const fine = 8;
  for (let y = 0; y < width / 2; y++) {
    for (let x = 0; x < width; x++) {
      const { azimuthDeg, elevationDeg } = anglesAtPixel(x, y, width, width / 2);
      const onCard =
        Math.abs(wrap180(azimuthDeg - CARD.azimuthDeg)) < CARD.acrossDeg / 2 &&
        Math.abs(elevationDeg - CARD.elevationDeg) < CARD.upDeg / 2;
      const behind = onCard ? CARD_LIGHT : elevationDeg > 0 ? 2000 : 500;
      // A blue sky: under a grey one as even as this a lamp would look the same.
      const cloud = sky === 'grey' && elevationDeg > 0 ? 0.45 * (1 + 0.3 * Math.sin(azimuthDeg / 7)) : 1;
      const tint = !onCard && elevationDeg > 0 && sky === 'blue' ? [0.8, 1, 1.3] : [cloud, cloud, cloud];
      let sunlight = 0;
      if (arcDeg(sun, directionFromAngles(azimuthDeg, elevationDeg)) < 1.5) {
        let inside = 0;
        for (let k = 0; k < fine * fine; k++) {
          const at = anglesAtPixel(
            x - 0.5 + ((k % fine) + 0.5) / fine,
            y - 0.5 + (Math.floor(k / fine) + 0.5) / fine,
            width,
            width / 2,
          );
          if (arcDeg(sun, directionFromAngles(at.azimuthDeg, at.elevationDeg)) < 0.2665) inside++;
        }
        sunlight = (SUN_LIGHT * inside) / (fine * fine);
      }
      image.data.set(
        tint.map((t) => t * behind + sunlight),
        3 * (y * width + x),
      );
    }
  }
  return image;
}

const litFile = once((sunElevationDeg: number, sky: 'blue' | 'grey', width: number) =>
  panoramaFile('lit.exr', litSet(sunElevationDeg, sky, width)),
);

export interface Measured {
  panorama: Panorama;
  setupId: string;
  take: Take;
  /** Where the sun really stood. */
  sun: { azimuthDeg: number; elevationDeg: number };
}

/** A setup with a take and a panorama whose sun stands where it stood; `leanDeg` puts it wrong by so much, `known` is what its rig taught before. */
export async function litSetup(
  request: APIRequestContext,
  leanDeg = 0,
  sky: 'blue' | 'grey' = 'blue',
  width = WIDTH,
  known: Pick<LightRound['rig'], 'sensitivity'> = {},
): Promise<Measured> {
  // Of a time that somebody read off a watch: with a planned one the light may have changed by as much as it does in twenty minutes.
  const rig = { projection: 'latlong', fovDeg: 360, views: 1, ...known } as const;
  const { round } = await benchRound(request, rig, { name: 'Test round', lightCondition: 'bench light', shotAtFrom: 'entered' }); // prettier-ignore
  const place = (await getJson<{ items: Location[] }>(request, '/locations')).items.find(
    (l) => l.name === 'Gannet Staithe',
  )!;
  const sun = sunPosition(place, new Date(round.shotAt));
  const { setupId } = await getJson<Station>(request, `/stations/${round.stationId}`);
  const job = (
    await sendFiles(request, `/rounds/${round.id}/panoramas`, [await litFile(sun.elevationDeg + leanDeg, sky, width)])
  ).body as Job;
  const done = await ended(job);
  expect(done.state, JSON.stringify(done.error)).toBe('done');
  return {
    panorama: await getJson<Panorama>(request, `/panoramas/${done.resultId}`),
    setupId,
    take: await newTake(request, setupId, { ...TAKE, shotAt: round.shotAt }),
    sun,
  };
}

/** As if nobody had said when a round was shot. */
export async function onlyPlanned(request: APIRequestContext, roundId: string): Promise<void> {
  const { version } = await getJson<LightRound>(request, `/rounds/${roundId}`);
  const { status } = await patchJson(request, `/rounds/${roundId}`, { shotAtFrom: 'planned', version });
  expect(status).toBe(200);
}

/** An even picture as PNG, that says by a profile of the library's what it means, or nothing. */
export const evenPng = (codes: Uint8Array | Uint16Array, profile: 'srgb' | null) => {
  const picture = sharp(codes, { raw: { width: 320, height: 180, channels: 3 } });
  return (
    profile ? picture.withIccProfile(profile) : picture.toColourspace(codes.BYTES_PER_ELEMENT === 2 ? 'rgb16' : 'srgb')
  )
    .png()
    .toBuffer();
};

/** An even plate of the sRGB curve: the card fills the frame. */
export async function addPlate(request: APIRequestContext, take: Take, code = CARD_CODE): Promise<Plate> {
  return sendPlate(request, take, await evenPng(new Uint8Array(320 * 180 * 3).fill(code), 'srgb'));
}

export async function sendPlate(request: APIRequestContext, take: Take, buffer: Buffer): Promise<Plate> {
  const sent = await sendFiles(request, `/takes/${take.id}/plates`, [
    { name: 'plate.png', mimeType: 'image/png', buffer },
  ]);
  expect(sent.status, JSON.stringify(sent.body)).toBe(201);
  return sent.body.items[0] as Plate;
}

/** Corners clockwise from the upper left. */
export const boxOf = (left: number, top: number, right: number, bottom: number): [number, number][] => [
  [left, top],
  [right, top],
  [right, bottom],
  [left, bottom],
];
export const IN_PLATE = boxOf(0.3, 0.3, 0.7, 0.7);
/** Well inside the card, azimuths and elevations. */
export const IN_PANORAMA = boxOf(
  CARD.azimuthDeg - 4,
  CARD.elevationDeg + 2.5,
  CARD.azimuthDeg + 4,
  CARD.elevationDeg - 2.5,
);

export const measureCard = (request: APIRequestContext, panoramaId: string, plateId: string, more: object = {}) =>
  postJson(request, `/panoramas/${panoramaId}/card`, {
    plateId,
    plateCorners: IN_PLATE,
    panoramaCorners: IN_PANORAMA,
    ...more,
  });

/** What was measured of a panorama last. */
export const calibrationOf = async (request: APIRequestContext, panoramaId: string) =>
  (await getJson<{ calibration: Calibration }>(request, `/panoramas/${panoramaId}/calibration`)).calibration;
