import { srgbToLinear } from './transfer';

/** A curve that has a name: what code values of a file mean, as light. `gamma22` is what rigs of before call a gamma of 2.2. */
export type Curve = 'srgb' | 'linear' | 'rec709' | 'hlg' | 'pq' | 'gamma22' | `gamma:${number}`;

/** The curves one can name, as messages list them. */
export const CURVE_NAMES = 'linear, srgb, rec709, hlg, pq or gamma:G';

/** Whether code values span the whole scale, or black to white only what video reserves for them (ITU-R BT.709, BT.2100: narrow range). */
export type CodeRange = 'full' | 'legal';

/** The inverse of the camera's characteristic of ITU-R BT.709 section 1.2: a signal to scene-linear light. */
export function rec709ToLinear(v: number): number {
  return v < 0.081 ? v / 4.5 : Math.pow((v + 0.099) / 1.099, 1 / 0.45);
}

/** Hybrid log-gamma: the inverse of the camera's characteristic of ITU-R BT.2100-2 table 5, scene light that is 1 at a signal of 1. */
function hlgScene(v: number): number {
  const a = 0.17883277;
  const [b, c] = [1 - 4 * a, 0.5 - a * Math.log(4 * a)];
  return v <= 0.5 ? (v * Math.abs(v)) / 3 : (Math.exp((v - c) / a) + b) / 12;
}

/** Light of the display to that of the scene: the inverse of the reference OOTF of ITU-R BT.2100-2 table 4, 1 at 10 000 cd/m². */
const sceneOfDisplay = (cdM2: number) => rec709ToLinear(Math.pow(cdM2 / 100, 1 / 2.4)) / 59.5208;

/** Perceptual quantiser: a signal to the light of the display (ITU-R BT.2100-2 table 4), and from there to that of the scene. */
function pqScene(v: number): number {
  const [m1, m2, c1, c2, c3] = [2610 / 16384, 2523 / 32, 3424 / 4096, 2413 / 128, 2392 / 128];
  const p = Math.pow(Math.max(0, v), 1 / m2);
  return sceneOfDisplay(10000 * Math.pow(Math.max(0, p - c1) / (c2 - c3 * p), 1 / m1));
}

/** Scene light of the white that ITU-R BT.2408 table 1 refers to: 75 % of HLG, 203 cd/m² of PQ. What is brighter than a white card lies above it. */
const HLG_WHITE = hlgScene(0.75);
const PQ_WHITE = sceneOfDisplay(203);

/** HLG to scene-linear light, 1 at reference white: a grey card of 18 % that is exposed as the standard says is 0.18. */
export const hlgToLinear = (v: number): number => hlgScene(v) / HLG_WHITE;

/** PQ to scene-linear light, 1 at reference white. True of pictures as a camera wrote them; a grade that was made on a display is not undone. */
export const pqToLinear = (v: number): number => pqScene(v) / PQ_WHITE;

const power = (v: number, gamma: number) => (v < 0 ? -Math.pow(-v, gamma) : Math.pow(v, gamma));

/**
 * The function from a signal (0 black, 1 white; beyond where the range leaves room) to linear light.
 * @throws RangeError when a gamma is none
 */
export function curveFunction(curve: Curve): (signal: number) => number {
  if (curve === 'linear') return (v) => v;
  if (curve === 'srgb') return srgbToLinear;
  if (curve === 'rec709') return rec709ToLinear;
  if (curve === 'hlg') return hlgToLinear;
  if (curve === 'pq') return pqToLinear;
  const gamma = curve === 'gamma22' ? 2.2 : Number(/^gamma:(.+)$/.exec(curve)?.[1] ?? NaN);
  if (!(gamma >= 0.1 && gamma <= 10))
    throw new RangeError(`${curve}: no curve; expected ${CURVE_NAMES} with G from 0.1 to 10`);
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
