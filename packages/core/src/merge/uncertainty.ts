/** Code of a value whose uncertainty is not known, or that is only a lower bound. */
export const UNKNOWN_UNCERTAINTY = 255;

/** Sixteen steps a stop; code 0 is a relative standard uncertainty of 2^-13, 254 of about 7.3. */
const STEPS = 16;
const ZERO = 208;

/** Relative standard uncertainty as one byte; steps of 4.4 %. */
export function encodeUncertainty(relative: number): number {
  if (!(relative > 0) || !Number.isFinite(relative)) return UNKNOWN_UNCERTAINTY;
  const code = Math.round(STEPS * Math.log2(relative) + ZERO);
  return code < 0 ? 0 : code > 254 ? 254 : code;
}

/** Codes by the upper 17 bits of a float: 256 steps an octave of information, a twentieth of a code each. Made when a picture is first merged: screens never need it. */
let codeOfBits: Uint8Array | null = null;
const makeCodes = () =>
  Uint8Array.from({ length: 1 << 17 }, (_, upper) =>
    encodeUncertainty(1 / Math.sqrt(upper === 0 ? 0 : valueOfBits((upper << 15) | (1 << 14)))),
  );
const oneFloat = new Float32Array(1);
const oneBits = new Uint32Array(oneFloat.buffer);

function valueOfBits(bits: number): number {
  return new Float32Array(Uint32Array.of(bits).buffer)[0];
}

/** `encodeUncertainty` of a value by its information, (value / standard uncertainty)²: the way for every pixel of a picture, by look-up. */
export function encodeInformation(information: number): number {
  oneFloat[0] = information;
  codeOfBits ??= makeCodes();
  return codeOfBits[oneBits[0] >>> 15];
}

/** Relative standard uncertainty by code. */
const RELATIVE = Float64Array.from({ length: 256 }, (_, code) =>
  code === UNKNOWN_UNCERTAINTY ? NaN : 2 ** ((code - ZERO) / STEPS),
);

/** Inverse of `encodeUncertainty`; NaN for the unknown. */
export const decodeUncertainty = (code: number): number => RELATIVE[code];

/** `decodeUncertainty` squared, by code; the unknown is 0. */
export const RELATIVE_VARIANCE = RELATIVE.map((u) => (Number.isNaN(u) ? 0 : u ** 2));
