import { decodePicture, type Decoding, usualDecoding } from '@tawny/core';
import { readClf } from '@tawny/formats';
import { LOG_CURVE, LOG_TO_LINEAR } from '../../packages/formats/tests/support/clfFiles';
import type { Row, Section } from './table';

/** A card is exposed between these, in stops from white. */
const STOPS = Array.from({ length: 121 }, (_, i) => -6 + 0.05 * i).filter((s) => s <= -0.25);

/** Signals by the standards' own formulas, not by the code that is measured. */
const SIGNALS = {
  rec709: (x: number) => (x < 0.018 ? 4.5 * x : 1.099 * x ** 0.45 - 0.099),
  srgb: (x: number) => (x <= 0.0031308 ? 12.92 * x : 1.055 * x ** (1 / 2.4) - 0.055),
  gamma: (x: number) => x ** (1 / 2.4),
  linear: (x: number) => x,
  // ITU-R BT.2100-2 table 5, the white of BT.2408 at a signal of 0.75.
  hlg: (x: number) => {
    const e = (x * (Math.exp((0.75 - 0.55991073) / 0.17883277) + 0.28466892)) / 12;
    return e <= 1 / 12 ? Math.sqrt(3 * e) : 0.17883277 * Math.log(12 * e - 0.28466892) + 0.55991073;
  },
  // ITU-R BT.2100-2 table 4, that white at 203 cd/m².
  pq: (x: number) => {
    const e = (x * ((2.03 ** (1 / 2.4) + 0.099) / 1.099) ** (1 / 0.45)) / 59.5208;
    const cdM2 = 100 * (e <= 0.0003024 ? 267.84 * e : 1.099 * (59.5208 * e) ** 0.45 - 0.099) ** 2.4;
    const y = (cdM2 / 10000) ** (2610 / 16384);
    return ((3424 / 4096 + (2413 / 128) * y) / (1 + (2392 / 128) * y)) ** (2523 / 32);
  },
  log: (x: number) => {
    const { base, linSideSlope, linSideOffset, logSideSlope, logSideOffset } = LOG_CURVE;
    return (logSideSlope * Math.log(linSideSlope * x + linSideOffset)) / Math.log(base) + logSideOffset;
  },
};

interface Recording {
  name: string;
  signal: (light: number) => number;
  bits: 8 | 10 | 12 | 16;
  range: 'full' | 'legal';
  curve: Decoding['curve'];
}

/** Codes of a recording in a file of 8 or 16 bits, as extraction leaves them. */
function codesOf({ signal, bits, range }: Recording, dithered: number): Uint8Array | Uint16Array {
  const step = 2 ** (bits - 8);
  const top = 2 ** bits - 1;
  const values = STOPS.flatMap((s) => {
    const v = signal(2 ** s);
    const code = range === 'legal' ? step * (16 + 219 * v) : top * v;
    return Array.from({ length: 3 * dithered }, (_, k) => Math.floor(code + (((k + 0.5) * 0.61803) % 1)));
  });
  if (bits === 8) return Uint8Array.from(values);
  // A full scale fills its file, a legal one is shifted up.
  return Uint16Array.from(values, (c) => (range === 'full' ? Math.round((65535 * c) / top) : c * 2 ** (16 - bits)));
}

/** Largest error of a card's mean over its exposures, stops. */
function worst(recording: Recording, decoding: Decoding): number {
  const PIXELS = 256;
  const codes = codesOf(recording, PIXELS);
  const { data } = decodePicture({ width: PIXELS, height: STOPS.length, codes }, decoding);
  return Math.max(
    ...STOPS.map((s, i) => {
      let sum = 0;
      for (let k = 0; k < PIXELS; k++) sum += data[3 * (i * PIXELS + k)];
      return Math.abs(Math.log2(Math.max(1e-6, sum / PIXELS)) - s);
    }),
  );
}

/** What a card's light comes to through each decoding, and what it came to when depth alone decided. */
export function codesSection(): Section {
  const { nodes } = readClf(new Uint8Array(Buffer.from(LOG_TO_LINEAR)), 'heron.clf');
  const recordings: Recording[] = [
    { name: '8 bits, full, sRGB', signal: SIGNALS.srgb, bits: 8, range: 'full', curve: 'srgb' },
    { name: '8 bits, legal, Rec. 709', signal: SIGNALS.rec709, bits: 8, range: 'legal', curve: 'rec709' },
    { name: '10 bits, legal, Rec. 709', signal: SIGNALS.rec709, bits: 10, range: 'legal', curve: 'rec709' },
    { name: '10 bits, legal, HLG', signal: SIGNALS.hlg, bits: 10, range: 'legal', curve: 'hlg' },
    { name: '10 bits, legal, PQ', signal: SIGNALS.pq, bits: 10, range: 'legal', curve: 'pq' },
    { name: '10 bits, full, gamma 2.4', signal: SIGNALS.gamma, bits: 10, range: 'full', curve: 'gamma:2.4' },
    { name: '10 bits, legal, logarithmic by a CLF', signal: SIGNALS.log, bits: 10, range: 'legal', curve: nodes },
    { name: '12 bits, full, logarithmic by a CLF', signal: SIGNALS.log, bits: 12, range: 'full', curve: nodes },
    { name: '16 bits, linear', signal: SIGNALS.linear, bits: 16, range: 'full', curve: 'linear' },
  ];
  const rows: Row[] = recordings.map((r) => {
    const stops = worst(r, { curve: r.curve, range: r.range, primaries: 'rec709' });
    const byDepth = worst(r, usualDecoding(r.bits === 8 ? 8 : 16));
    return {
      what: r.name,
      measured: `${stops.toFixed(4)} stop at most; taken by its depth alone: ${byDepth.toFixed(2)} stop`,
      bound: 'at most 0.02 stop',
      holds: stops <= 0.02,
    };
  });
  return {
    title: 'What code values mean',
    how: `A card from 0.25 to 6 stops below white through each decoding, coded by the standards' own formulas and dithered as noise does; Common LUT Format files are held against OpenColorIO in \`packages/formats/tests/clf\`, frames of video against components that the test computes in \`apps/server/tests/video\`.`,
    rows,
  };
}
