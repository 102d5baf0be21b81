import { H273_CURVES, H273_PRIMARIES, type FileDecoding } from '@tawny/formats';

/** Colour facts of a video stream as its prober names them. */
export interface StreamColour {
  pix_fmt?: string;
  height?: number;
  color_range?: string;
  color_space?: string;
  color_transfer?: string;
  color_primaries?: string;
}

/** How the stream's components become R'G'B', and what is said of that. */
export interface VideoSignal {
  /** Luma weights of red and blue of its matrix; null when it holds RGB. */
  matrix: { red: number; blue: number } | null;
  range: 'full' | 'legal';
  /** Bits of a component. */
  bits: number;
}

/** Names of the prober for code points of ITU-T H.273. */
const TRANSFERS: Record<string, number> = {
  bt709: 1, bt470m: 4, gamma22: 4, bt470bg: 5, gamma28: 5, smpte170m: 6, linear: 8, 'iec61966-2-1': 13, 'bt2020-10': 14, 'bt2020-12': 15,
  smpte2084: 16, 'arib-std-b67': 18,
}; // prettier-ignore
const PRIMARIES: Record<string, number> = { bt709: 1, bt470bg: 5, smpte170m: 6, smpte240m: 6, bt2020: 9, smpte432: 12 };
const MATRICES: Record<string, { red: number; blue: number }> = {
  bt709: { red: 0.2126, blue: 0.0722 },
  smpte170m: { red: 0.299, blue: 0.114 },
  bt470bg: { red: 0.299, blue: 0.114 },
  bt2020nc: { red: 0.2627, blue: 0.0593 },
};
const stated = (v: string | undefined) => (v && v !== 'unknown' && v !== 'reserved' ? v : null);

export function videoSignal(s: StreamColour): VideoSignal {
  const format = s.pix_fmt ?? '';
  const bits = Number(
    /^p0(10|12|16)/.exec(format)?.[1] ??
      /(?:p|gray)(9|10|12|14|16)(?:le|be)?$/.exec(format)?.[1] ??
      (/48|64/.test(format) ? 16 : 8),
  );
  const rgb = /^(gbr|rgb|bgr|argb|abgr)/.test(format) || s.color_space === 'gbr';
  // H.264, HEVC and their kin: legal unless the stream says full.
  const range = rgb
    ? s.color_range === 'tv'
      ? 'legal'
      : 'full'
    : s.color_range === 'pc' || format.startsWith('yuvj')
      ? 'full'
      : 'legal';
  if (rgb) return { matrix: null, range, bits };
  const usual = (s.height ?? 0) >= 720 ? MATRICES.bt709 : MATRICES.smpte170m;
  return { matrix: MATRICES[stated(s.color_space) ?? ''] ?? usual, range, bits };
}

/** What the stream says that its signal means. */
export function videoMeaning(s: StreamColour): FileDecoding {
  const [transfer, primaries] = [stated(s.color_transfer), stated(s.color_primaries)];
  const { range } = videoSignal(s);
  const words = `${range} range${stated(s.color_range) ? '' : " (the stream does not say: the codec's own rule)"}`;
  if (!transfer) return { decoding: null, source: `its stream states no transfer; ${words}` };
  const curve = H273_CURVES[TRANSFERS[transfer]];
  if (!curve)
    return { decoding: null, source: `its stream states transfer ${transfer}, which no curve here is; ${words}` };
  const set = primaries ? H273_PRIMARIES[PRIMARIES[primaries]] : undefined;
  if (!set)
    return {
      decoding: null,
      source: `its stream states transfer ${transfer} and ${primaries ? `primaries ${primaries}, which are not known here` : 'no primaries'}; ${words}`,
    };
  return {
    decoding: { curve, range, primaries: set },
    source: `its stream: transfer ${transfer}, primaries ${primaries}, ${words}`,
  };
}

/**
 * Planar 16-bit components (shifted up from the stream's depth) as interleaved R'G'B' codes of 16 bits in the stream's own range:
 * what lies above white and below black stays.
 */
export function rgbCodes(planes: Uint16Array, pixels: number, { matrix, range, bits }: VideoSignal): Uint16Array {
  const out = new Uint16Array(3 * pixels);
  const shift = 16 - bits;
  const top = ((1 << bits) - 1) << shift;
  const legal = range === 'legal';
  const luma = legal ? (c: number) => (c / 256 - 16) / 219 : (c: number) => c / top;
  const chroma = legal ? (c: number) => (c / 256 - 128) / 224 : (c: number) => (c - 32768) / top;
  const code = legal ? (v: number) => 256 * (16 + 219 * v) : (v: number) => 65535 * v;
  const kept = (v: number) => Math.max(0, Math.min(65535, Math.round(code(v))));
  for (let i = 0; i < pixels; i++) {
    const [a, b, c] = [planes[i], planes[pixels + i], planes[2 * pixels + i]];
    if (!matrix) {
      // Planes of RGB stand in the order green, blue, red.
      [c, a, b].forEach((v, k) => (out[3 * i + k] = kept(luma(v))));
      continue;
    }
    const { red, blue } = matrix;
    const [y, cb, cr] = [luma(a), chroma(b), chroma(c)];
    const r = y + 2 * (1 - red) * cr;
    const bl = y + 2 * (1 - blue) * cb;
    out[3 * i] = kept(r);
    out[3 * i + 1] = kept((y - red * r - blue * bl) / (1 - red - blue));
    out[3 * i + 2] = kept(bl);
  }
  return out;
}
