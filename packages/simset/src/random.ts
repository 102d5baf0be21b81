import { lazily } from './lazily';

/** Deterministic random numbers: the same seed gives the same set on every machine. */
export interface Random {
  /** Uniform in [0, 1). */
  next(): number;
  /** Standard normal. */
  normal(): number;
}

/** xorshift128 seeded by splitmix32 from a number and any labels. */
export function createRandom(seed: number, ...labels: (number | string)[]): Random {
  let h = seed >>> 0;
  for (const label of labels) {
    for (const ch of `${label}|`) h = Math.imul(h ^ ch.charCodeAt(0), 0x01000193) >>> 0;
  }
  const mix = () => {
    h = (h + 0x9e3779b9) >>> 0;
    let z = h;
    z = Math.imul(z ^ (z >>> 16), 0x85ebca6b);
    z = Math.imul(z ^ (z >>> 13), 0xc2b2ae35);
    return (z ^ (z >>> 16)) >>> 0;
  };
  let a = mix() || 1;
  let b = mix();
  let c = mix();
  let d = mix();
  const bits = () => {
    const t = a ^ (a << 11);
    a = b;
    b = c;
    c = d;
    d = (d ^ (d >>> 19) ^ t ^ (t >>> 8)) | 0;
    return d >>> 0;
  };
  // The first words of a short state are still alike between seeds.
  for (let i = 0; i < 16; i++) bits();
  const quantiles = normalQuantiles();
  return {
    next: () => bits() / 4294967296,
    normal: () => quantiles[bits() >>> 16],
  };
}

/** Quantiles of the standard normal at 65536 mid points (Acklam's rational approximation, relative error 1e-9). */
const normalQuantiles = lazily(() => Float32Array.from({ length: 65536 }, (_, i) => normalQuantile((i + 0.5) / 65536)));

function normalQuantile(p: number): number {
  const a = [
    -39.69683028665376, 220.9460984245205, -275.9285104469687, 138.357751867269, -30.66479806614716, 2.506628277459239,
  ];
  const b = [-54.47609879822406, 161.5858368580409, -155.6989798598866, 66.80131188771972, -13.28068155288572];
  const c = [
    -0.007784894002430293, -0.3223964580411365, -2.400758277161838, -2.549732539343734, 4.374664141464968,
    2.938163982698783,
  ];
  const d = [0.007784695709041462, 0.3224671290700398, 2.445134137142996, 3.754408661907416];
  const tail = (q: number) =>
    (((((c[0] * q + c[1]) * q + c[2]) * q + c[3]) * q + c[4]) * q + c[5]) /
    ((((d[0] * q + d[1]) * q + d[2]) * q + d[3]) * q + 1);
  if (p < 0.02425) return tail(Math.sqrt(-2 * Math.log(p)));
  if (p > 1 - 0.02425) return -tail(Math.sqrt(-2 * Math.log(1 - p)));
  const q = p - 0.5;
  const r = q * q;
  return (
    ((((((a[0] * r + a[1]) * r + a[2]) * r + a[3]) * r + a[4]) * r + a[5]) * q) /
    (((((b[0] * r + b[1]) * r + b[2]) * r + b[3]) * r + b[4]) * r + 1)
  );
}
