import { codesFromFloats, observeRatio, sampleResponse, type RatioObservation, type ResponseSample } from '@tawny/core';
import { decodeBracket } from './decodeBracket';

export interface SampleViewInput {
  /** Longest exposure first. */
  frames: { path: string; name: string; exposure: number; rung: number }[];
  /** Places to take a channel. */
  most: number;
  width: number;
  height: number;
}

export interface SampleViewOutput {
  /** 8-bit frames: codes of flat places a channel. */
  samples: [ResponseSample[], ResponseSample[], ResponseSample[]] | null;
  /** 16-bit frames: ratios of neighbours. */
  ratios: RatioObservation[];
}

/** Looks at one bracket for what its frames say of the camera: response or exposure ratios. */
export async function sampleViewTask({ frames, most, width, height }: SampleViewInput): Promise<SampleViewOutput> {
  const decoded = await decodeBracket(frames, width, height);
  if (decoded[0].bits === 8) {
    return {
      samples: sampleResponse(
        decoded.map((d) => d.codes as Uint8Array),
        decoded.map((d) => d.rung),
        width,
        height,
        most,
      ),
      ratios: [],
    };
  }
  const codes =
    decoded[0].bits === 32
      ? codesFromFloats(decoded.map((d) => d.codes as Float32Array)).codes
      : decoded.map((d) => d.codes as Uint16Array);
  const ratios = decoded.slice(1).flatMap((d, i) => {
    const o = observeRatio(
      { codes: codes[i], exposure: decoded[i].exposure },
      { codes: codes[i + 1], exposure: d.exposure },
      { a: decoded[i].rung, b: d.rung },
    );
    return o ? [o] : [];
  });
  return { samples: null, ratios };
}
