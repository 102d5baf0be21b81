import type { APIRequestContext } from '@playwright/test';
import sharp from 'sharp';
import {
  anglesAtPixel,
  CHART_COLOURS,
  createImage,
  linearToSrgb,
  RELATIVE_REC709,
  wrap180,
  type RgbImage,
} from '@tawny/core';
import type { Job, Panorama, Plate, Station, Take } from '@tawny/contract';
import { ended, getJson, newRound, newTake, sendFiles } from './api';
import { panoramaFile } from './frames';
import { createRandom } from '@tawny/simset';
import { PLATE_EXPOSURE, sendPlate, TAKE } from './lit';
import { once } from './once';

/** Where the chart stands in the panorama's own frame, and how far its patches reach, degrees. */
export const CHART = { azimuthDeg: 140, elevationDeg: -4, acrossDeg: 24, upDeg: 16 };
/** What a perfect white there sends, panorama units: the plate is as bright as the tags of both cameras promise. */
const WHITE = 0.55 / PLATE_EXPOSURE;
/** How the plate's sensor sees the panorama's colours; greys stay grey. */
export const PLATE_SEES = [0.84, 0.13, 0.03, 0.06, 0.88, 0.06, 0.01, 0.15, 0.84];
/** What the plate makes of a panorama unit, stops. */
export const PLATE_STOPS = Math.log2(0.55 / WHITE);

/** A chart of colours before even grey: each patch within a dark frame. Shares across and down of the chart; null beside it. */
function chartAt(u: number, v: number): readonly number[] | null {
  if (u < -0.03 || v < -0.045 || u > 1.03 || v > 1.045) return null;
  const [column, row] = [Math.floor(u * 6), Math.floor(v * 4)];
  const [du, dv] = [u * 6 - column, v * 4 - row];
  const inside = column >= 0 && column < 6 && row >= 0 && row < 4 && Math.min(du, 1 - du, dv, 1 - dv) > 0.08;
  return inside ? CHART_COLOURS[6 * row + column].map((x) => Math.max(0.004, x)) : [0.03, 0.03, 0.03];
}

function chartPanorama(): RgbImage {
  const [width, height] = [1536, 768];
  const image = createImage(width, height, RELATIVE_REC709);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const { azimuthDeg, elevationDeg } = anglesAtPixel(x, y, width, height);
      const u = wrap180(azimuthDeg - CHART.azimuthDeg) / CHART.acrossDeg + 0.5;
      const v = (CHART.elevationDeg - elevationDeg) / CHART.upDeg + 0.5;
      const behind = elevationDeg > 0 ? 0.9 : 0.2 + 0.03 * Math.sin(azimuthDeg / 3);
      image.data.set(
        (chartAt(u, v) ?? [behind, behind, behind]).map((c) => WHITE * c),
        3 * (y * width + x),
      );
    }
  return image;
}

export const through = (m: readonly number[], v: readonly number[]) =>
  [0, 3, 6].map((r) => m[r] * v[0] + m[r + 1] * v[1] + m[r + 2] * v[2]);

/** One sigma of the plate's grain, linear light. */
export const GRAIN = 0.006;

/** Where the chart lies in the plate, shares of its sides. */
export const CHART_IN_PLATE = { left: 0.3, top: 0.25, right: 0.7, bottom: 0.25 + (0.4 * 16) / 24 / (9 / 16) };

/** A plate of 1280 x 720 pixels of sRGB with the chart in its middle; `seen` is its sensor. */
const chartPlate = once((seen: readonly number[]): Promise<Buffer> => {
  const [width, height] = [1280, 720];
  const { left, top, right, bottom } = CHART_IN_PLATE;
  const codes = new Uint8Array(3 * width * height);
  const random = createRandom(5, 'grain of the chart plate');
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const u = ((x + 0.5) / width - left) / (right - left);
      const v = ((y + 0.5) / height - top) / (bottom - top);
      const light = through(seen, chartAt(u, v) ?? [0.3, 0.3, 0.3]);
      light.forEach((c, k) => {
        codes[3 * (y * width + x) + k] = Math.round(
          255 * linearToSrgb(Math.min(1, Math.max(0, WHITE * 2 ** PLATE_STOPS * c + GRAIN * random.normal()))),
        );
      });
    }
  return sharp(codes, { raw: { width, height, channels: 3 } })
    .withIccProfile('srgb')
    .png()
    .toBuffer();
});

const chartFile = once(() => panoramaFile('chart.exr', chartPanorama()));

/** A setup with a chart in its panorama and in a take's plate. */
export async function chartSetup(
  request: APIRequestContext,
  seen: readonly number[] = PLATE_SEES,
): Promise<{ panorama: Panorama; setupId: string; take: Take; plate: Plate }> {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  const { setupId } = await getJson<Station>(request, `/stations/${round.stationId}`);
  const sent = await sendFiles(request, `/rounds/${round.id}/panoramas`, [await chartFile()]);
  const job = await ended(sent.body as Job);
  const take = await newTake(request, setupId, { ...TAKE, shotAt: round.shotAt });
  return {
    panorama: await getJson<Panorama>(request, `/panoramas/${job.resultId}`),
    setupId,
    take,
    plate: await sendPlate(request, take, await chartPlate(seen)),
  };
}
