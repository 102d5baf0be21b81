import { srgbToLinear } from './transfer';

/** A curve that has a name: what code values of a file mean, as light. `gamma22` is what rigs of before call a gamma of 2.2. */
export type Curve = 'srgb' | 'linear' | 'rec709' | 'gamma22' | `gamma:${number}`;

/** Whether code values span the whole scale, or black to white only what video reserves for them (ITU-R BT.709, BT.2100: narrow range). */
export type CodeRange = 'full' | 'legal';

/** The inverse of the camera's characteristic of ITU-R BT.709 section 1.2: a signal to scene-linear light. */
export function rec709ToLinear(v: number): number {
  return v < 0.081 ? v / 4.5 : Math.pow((v + 0.099) / 1.099, 1 / 0.45);
}

const power = (v: number, gamma: number) => (v < 0 ? -Math.pow(-v, gamma) : Math.pow(v, gamma));

/**
 * The function from a signal (0 black, 1 white; beyond where the range leaves room) to linear light.
 * @throws RangeError when a gamma is none
 */
export function curveFunction(curve: Curve): (signal: number) => number {
  if (curve === 'linear') return (v) => v;
  if (curve === 'srgb') return srgbToLinear;
  if (curve === 'rec709') return rec709ToLinear;
  const gamma = curve === 'gamma22' ? 2.2 : Number(/^gamma:(.+)$/.exec(curve)?.[1] ?? NaN);
  if (!(gamma >= 0.1 && gamma <= 10))
    throw new RangeError(`${curve}: no curve; expected linear, srgb, rec709 or gamma:G with G from 0.1 to 10`);
  return (v) => power(v, gamma);
}

/** Code value to signal for codes up to `maxCode` (255, 65535): legal range has black at 16 and white at 235 of 255, whatever the depth. */
export function signalOf(range: CodeRange, maxCode: number): (code: number) => number {
  if (range === 'full') return (code) => code / maxCode;
  // Deeper codes are those of 8 bits shifted: black 16 * 2^(n-8), white 235 * 2^(n-8).
  const step = (maxCode + 1) / 256;
  return (code) => (code / step - 16) / 219;
}

/** Table from code value (0 .. maxCode) to linear light by the stated curve and range. */
export function decodingTable(curve: Curve, maxCode: number, range: CodeRange = 'full'): Float32Array {
  const [linear, signal] = [curveFunction(curve), signalOf(range, maxCode)];
  return Float32Array.from({ length: maxCode + 1 }, (_, code) => linear(signal(code)));
}
