import fs from 'node:fs/promises';
import { observeRatio, sampleResponse, type RatioObservation, type ResponseSample } from '@tawny/core';
import { decodeImage, type DecodedImage } from '@tawny/formats';

export interface SampleViewInput {
  /** Longest exposure first. */
  frames: { path: string; name: string; exposure: number; rung: number }[];
  /** Places to take a channel. */
  most: number;
}

export interface SampleViewOutput {
  /** 8-bit frames: codes of flat places a channel. */
  samples: [ResponseSample[], ResponseSample[], ResponseSample[]] | null;
  /** 16-bit frames: ratios of neighbours. */
  ratios: RatioObservation[];
}

/** Looks at one bracket for what its frames say of the camera: response or exposure ratios. */
export async function sampleViewTask({ frames, most }: SampleViewInput): Promise<SampleViewOutput> {
  const decoded: (SampleViewInput['frames'][number] & DecodedImage)[] = [];
  for (const f of frames) decoded.push({ ...f, ...(await decodeImage(await fs.readFile(f.path), f.name)) });
  const narrow = decoded.filter((d) => d.codes instanceof Uint8Array);
  if (narrow.length === decoded.length) {
    return { samples: sampleResponse(narrow.map((d) => d.codes as Uint8Array), narrow.map((d) => d.rung), decoded[0].width, decoded[0].height, most), ratios: [] };
  }
  const ratios = decoded.slice(1).flatMap((d, i) => {
    const longer = decoded[i];
    const o = observeRatio({ codes: longer.codes as Uint16Array, exposure: longer.exposure }, { codes: d.codes as Uint16Array, exposure: d.exposure }, { a: longer.rung, b: d.rung });
    return o ? [o] : [];
  });
  return { samples: null, ratios };
}
