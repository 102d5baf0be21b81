import { boxShrink, frameShift, luminance, type LogLuminance, type RgbImage } from '@tawny/core';
import { FileProblem } from '@tawny/formats';
import { readMeasuredPicture } from '@tawny/pipeline';
import type { Comparison } from '@tawny/contract';
import { decodingFor, type TaskDecoding } from './taskDecoding';

const WIDEST = 1000;
const CLIP = 0.97;
const BLACK = 0.002;
/** A camera counts as moved beyond this shift of the picture's width, or twice its uncertainty, whichever is more. */
const MOVED_SHARE = 0.0004;

function logPlane(image: RgbImage): LogLuminance {
  const data = new Float32Array(image.width * image.height);
  for (let i = 0; i < data.length; i++) {
    const [r, g, b] = [image.data[3 * i], image.data[3 * i + 1], image.data[3 * i + 2]];
    const y = luminance(r, g, b, image.space);
    data[i] = Math.max(r, g, b) > CLIP || y < BLACK ? NaN : Math.log(y);
  }
  return { width: image.width, height: image.height, data };
}

interface Decoded {
  path: string;
  name: string;
  decoding: TaskDecoding;
}

const read = async ({ path, name, decoding }: Decoded) => readMeasuredPicture(path, name, await decodingFor(decoding));

/** A clean plate or repeat against the plate of its take: did the camera move, is the light the same? @throws FileProblem naming the file */
export async function comparePictures(plate: Decoded & { id: string }, other: Decoded): Promise<Comparison> {
  const [{ image: a }, { image: b }] = [await read(plate), await read(other)];
  if (a.width !== b.width || a.height !== b.height) {
    throw new FileProblem(
      'unsupported',
      other.name,
      `is ${b.width} × ${b.height} px, the plate ${a.width} × ${a.height}: both must come from the same recording format`,
    );
  }
  const f = Math.max(1, Math.ceil(a.width / WIDEST));
  try {
    const s = frameShift(logPlane(boxShrink(a, f)), logPlane(boxShrink(b, f)));
    const shiftPx = Math.hypot(s.dx, s.dy) * f;
    return {
      shiftXPx: s.dx * f,
      shiftYPx: s.dy * f,
      shiftPx,
      shiftUncertaintyPx: s.shiftUncertaintyPx * f,
      exposureStops: s.stops,
      exposureUncertaintyStops: s.stopsUncertainty,
      moved: shiftPx > Math.max(MOVED_SHARE * a.width, 2 * s.shiftUncertaintyPx * f),
      widthPx: a.width,
      againstPlateId: plate.id,
    };
  } catch (error) {
    if (error instanceof RangeError) throw new FileProblem('unsupported', other.name, error.message);
    throw error;
  }
}
