import {
  inverseMatrix,
  rec709ToLinear,
  srgbToLinear,
  toWorkingSpace,
  WORKING_SPACES,
  type Curve,
  type Primaries,
} from '@tawny/core';

/** What an ICC profile says of code values; null where it says it in a way that no named curve or set of primaries is. */
export interface IccFacts {
  description: string;
  curve: Curve | null;
  primaries: Primaries | null;
}

const CURVE_TOLERANCE = 2e-3;
const PRIMARIES_TOLERANCE = 4e-3;
/** The profile connection space's white, as xy. */
const D50 = [0.34567, 0.3585] as const;

/** Reads a display or input profile of three primaries and curves (ICC.1, 2001 to 2022). Bytes that are no such profile give null. */
export function readIcc(bytes: Uint8Array): IccFacts | null {
  const b = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (b.length < 132 || b.toString('latin1', 36, 40) !== 'acsp' || b.toString('latin1', 16, 20) !== 'RGB ') return null;
  const tags = new Map<string, Buffer>();
  const count = Math.min(b.readUInt32BE(128), 200);
  for (let i = 0; i < count && 144 + 12 * i <= b.length; i++) {
    const [at, size] = [b.readUInt32BE(136 + 12 * i), b.readUInt32BE(140 + 12 * i)];
    if (at + size <= b.length) tags.set(b.toString('latin1', 132 + 12 * i, 136 + 12 * i), b.subarray(at, at + size));
  }
  const curves = ['rTRC', 'gTRC', 'bTRC'].map((t) => curveOf(tags.get(t)));
  const same = curves.every((c) => c !== null && c === curves[0]);
  return { description: words(tags.get('desc')), curve: same ? curves[0] : null, primaries: primariesOf(tags) };
}

const fixed = (b: Buffer, at: number) => b.readInt32BE(at) / 65536;

function primariesOf(tags: ReadonlyMap<string, Buffer>): Primaries | null {
  const columns = ['rXYZ', 'gXYZ', 'bXYZ'].map((name) => {
    const t = tags.get(name);
    if (!t || t.length < 20) return null;
    const xyz = [fixed(t, 8), fixed(t, 12), fixed(t, 16)];
    const sum = xyz[0] + xyz[1] + xyz[2];
    return sum > 0 ? [xyz[0] / sum, xyz[1] / sum] : null;
  });
  if (columns.some((c) => c === null)) return null;
  // The colorants stand under D50: as primaries with that white they mean what the profile means, white to white.
  const xy = [...columns.flatMap((c) => c!), ...D50];
  try {
    const to709 = toWorkingSpace(xy, 'rec709');
    for (const space of ['rec709', 'acescg'] as const) {
      const back = inverseMatrix(toWorkingSpace(WORKING_SPACES[space].chromaticities, 'rec709'));
      const apart = [0, 1, 2].flatMap((r) =>
        [0, 1, 2].map((c) => {
          const v = [0, 1, 2].reduce((s, k) => s + back[3 * r + k] * to709[3 * k + c], 0);
          return Math.abs(v - (r === c ? 1 : 0));
        }),
      );
      if (Math.max(...apart) < PRIMARIES_TOLERANCE) return space;
    }
    return xy;
  } catch {
    // Colorants on a line are no primaries.
    return null;
  }
}

function curveOf(t: Buffer | undefined): Curve | null {
  const signal = t && sampled(t);
  if (!signal) return null;
  const near = (f: (v: number) => number) => {
    for (let i = 0; i <= 64; i++) if (Math.abs(signal(i / 64) - f(i / 64)) > CURVE_TOLERANCE) return false;
    return true;
  };
  if (near((v) => v)) return 'linear';
  if (near(srgbToLinear)) return 'srgb';
  if (near(rec709ToLinear)) return 'rec709';
  const gamma = Number((Math.log(signal(0.5)) / Math.log(0.5)).toFixed(4));
  return gamma >= 0.1 && gamma <= 10 && near((v) => Math.pow(v, gamma)) ? `gamma:${gamma}` : null;
}

/** The curve as a function of [0, 1]; null for a kind that is none. */
function sampled(t: Buffer): ((v: number) => number) | null {
  const kind = t.toString('latin1', 0, 4);
  if (kind === 'curv' && t.length >= 12) {
    const n = t.readUInt32BE(8);
    if (n === 0) return (v) => v;
    if (t.length < 12 + 2 * n) return null;
    if (n === 1) return (v) => Math.pow(v, t.readUInt16BE(12) / 256);
    return (v) => {
      const at = v * (n - 1);
      const low = Math.min(n - 2, Math.floor(at));
      const value = (k: number) => t.readUInt16BE(12 + 2 * k) / 65535;
      return value(low) + (at - low) * (value(low + 1) - value(low));
    };
  }
  if (kind !== 'para' || t.length < 16) return null;
  const type = t.readUInt16BE(8);
  const sizes = [1, 3, 4, 5, 7];
  if (type > 4 || t.length < 12 + 4 * sizes[type]) return null;
  const [g, a = 1, b = 0, c = 0, d = 0, e = 0, f = 0] = Array.from({ length: sizes[type] }, (_, k) =>
    fixed(t, 12 + 4 * k),
  );
  const power = (v: number) => Math.pow(Math.max(0, a * v + b), g);
  if (type === 0) return (v) => Math.pow(v, g);
  if (type === 1) return (v) => (v >= -b / a ? power(v) : 0);
  if (type === 2) return (v) => (v >= -b / a ? power(v) + c : c);
  if (type === 3) return (v) => (v >= d ? power(v) : c * v);
  return (v) => (v >= d ? power(v) + e : c * v + f);
}

function words(t: Buffer | undefined): string {
  if (!t || t.length < 12) return '';
  const kind = t.toString('latin1', 0, 4);
  if (kind === 'desc')
    return t.toString('latin1', 12, Math.min(t.length, 12 + t.readUInt32BE(8))).replace(/\0.*$/s, '');
  if (kind !== 'mluc' || t.length < 28 || t.readUInt32BE(8) < 1) return '';
  const [size, at] = [t.readUInt32BE(20), t.readUInt32BE(24)];
  if (at + size > t.length) return '';
  return Buffer.from(t.subarray(at, at + (size & ~1)))
    .swap16()
    .toString('utf16le')
    .replace(/\0/g, '');
}
