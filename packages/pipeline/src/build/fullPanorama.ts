import {
  applyMatrix,
  toWorkingSpace,
  UNKNOWN_UNCERTAINTY,
  UNSEEN,
  WORKING_SPACES,
  type RgbImage,
  type View,
  type WholeRegion,
  type WorkingSpace,
} from '@tawny/core';
import { ExrRowWriter, HALF_LIMIT, type PanoramaAttributes } from '@tawny/formats';
import { throwIfCancelled, type RunControl } from '../progress';
import { composeByStrips, type ComposedStrip } from './parallel';

/** Panoramas wider than this are checked at this width and written strip by strip: they would not fit into memory. */
export const WHOLE_MOST_PX = 8192;

export interface FullPanorama {
  widthPx: number;
  /** Writes the OpenEXR; what is at the path afterwards is whole. */
  write(path: string, attributes: PanoramaAttributes, space: WorkingSpace, control?: RunControl): Promise<void>;
}

interface FullInput {
  views: View[];
  regions: WholeRegion[];
  width: number;
  tripodDeg: number;
  /** The same panorama, smaller and with its holes filled: fills those of the full one. Null leaves them black. */
  filling: RgbImage | null;
}

/** Half files hold values below `HALF_LIMIT`; gain, vignetting undone and blending together multiply by less than eight. */
const SAFE_HALF = HALF_LIMIT / 8;

/** A panorama that is composed while it is written. */
export function fullPanorama({ views, regions, width, tripodDeg, filling }: FullInput): FullPanorama {
  return {
    widthPx: width,
    async write(path, attributes, space, control = {}) {
      const own = views[0].image.space;
      const matrix = own === space ? null : toWorkingSpace(WORKING_SPACES[own].chromaticities, space);
      const peak = views.reduce((most, v) => v.image.data.reduce((a, b) => (b > a ? b : a), most), 0);
      const writer = await ExrRowWriter.open(
        path,
        width,
        width / 2,
        attributes,
        peak < SAFE_HALF ? 'half' : 'float',
        space,
      );
      try {
        await composeByStrips(
          views,
          width,
          regions,
          async (strip) => {
            throwIfCancelled(control);
            cutTripod(strip, width, tripodDeg);
            if (filling) fillFrom(filling, strip, width);
            if (matrix) applyMatrix(strip.rgb, matrix);
            await writer.add(strip.y0, strip.rgb);
          },
          control,
        );
      } catch (error) {
        await writer.abandon();
        throwIfCancelled(control);
        throw error;
      }
      await writer.close();
    },
  };
}

/** What stands under the camera is no part of the set: black, and said to be unseen. */
export function cutTripod({ y0, y1, rgb, mask, uncertainty }: ComposedStrip, width: number, radiusDeg: number): void {
  const first = Math.ceil((width / 2) * (1 - radiusDeg / 180) - 0.5);
  if (radiusDeg <= 0 || first >= y1) return;
  const from = width * Math.max(0, first - y0);
  mask.fill(UNSEEN, from);
  uncertainty.fill(UNKNOWN_UNCERTAINTY, from);
  rgb.fill(0, 3 * from);
}

/** Puts a smaller panorama's values where no view saw; it is smooth there, so its nearest pixels do. */
function fillFrom(filling: RgbImage, { y0, rgb, mask }: ComposedStrip, width: number): void {
  const scale = filling.width / width;
  for (let i = 0; i < mask.length; i++) {
    if (mask[i] !== UNSEEN) continue;
    const x = Math.floor(((i % width) + 0.5) * scale);
    const y = Math.floor((y0 + Math.floor(i / width) + 0.5) * scale);
    for (let c = 0; c < 3; c++) rgb[3 * i + c] = filling.data[3 * (y * filling.width + x) + c];
  }
}
