import { DateTime } from 'luxon';
import type { Take } from '@tawny/contract';
import { encodeJpeg, type WrittenTags } from '@tawny/formats';
import { PLATE_LENS, PLATE_MODEL } from '@tawny/pipeline';
import { cameraOfTake, type Distortion } from '@tawny/core';
import { drawClock, drawLensGrid } from '@tawny/simset';
import type { Queries } from '../db/dataSource';
import { Bodies, Lenses, type Owned } from '../db/entities';
import { ApiProblem } from '../problems';
import type { SetPlace } from '../records/place';

/** What no tag tells of the simulated plate camera: its clock runs fast by this much, and its lens bends lines. */
const CLOCK_FAST_S = 3.4;
const LENS: Distortion = [-0.085, 0.021, 0.0006, -0.0004, 0];

/** On the day a charts photograph is taken some minutes before the take it belongs to. */
const BEFORE_MS = 4 * 60000;

const tags = (take: Take, takenAt: Date, utcOffsetMinutes: number): WrittenTags => ({
  model: PLATE_MODEL,
  lensModel: PLATE_LENS,
  shutterTag: { numerator: 1, denominator: 50 },
  fNumberTag: 4,
  iso: take.ei,
  focalLengthMm: take.focalLengthMm,
  takenAt,
  utcOffsetMinutes,
  orientation: 1,
});

/** The simulated plate camera photographs a clock that runs true; the file carries the camera's own, wrong time. */
export async function photographClock(take: Owned<Take>, { location }: SetPlace): Promise<{ bytes: Uint8Array }> {
  const at = DateTime.fromMillis(new Date(take.shotAt).getTime() - BEFORE_MS, { zone: location.zone });
  const codes = drawClock(at.toFormat('HH:mm:ss'), 960, 540);
  return {
    bytes: await encodeJpeg(codes, 960, 540, tags(take, new Date(at.toMillis() + 1000 * CLOCK_FAST_S), at.offset)),
  };
}

/** The simulated plate camera photographs a board of lines that fills the picture; its real lens bends them, whatever the kit says. @throws ApiProblem when the body does not record the take's format */
export async function photographLensGrid(
  db: Queries,
  take: Owned<Take>,
  { location }: SetPlace,
): Promise<{ bytes: Uint8Array }> {
  const { productionId, bodyId, lensId } = take;
  const body = await db.getRepository(Bodies).findOneByOrFail({ productionId, id: bodyId });
  const lens = await db.getRepository(Lenses).findOneByOrFail({ productionId, id: lensId });
  const distortion = { focalMm: take.focalLengthMm, idealToDistorted: LENS };
  const camera = cameraOfTake(take, body, { ...lens, distortion }, location);
  if (!camera) throw new ApiProblem(422, 'unknown-format', `${body.name} does not record ${take.formatName}`);
  const codes = drawLensGrid({ camera, lines: 24, turnDeg: 0.8 });
  return { bytes: await encodeJpeg(codes, camera.widthPx, camera.heightPx, tags(take, new Date(take.shotAt), 0)) };
}
