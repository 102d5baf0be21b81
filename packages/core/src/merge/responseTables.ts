import { decodingTable, type Curve } from '../colour/curves';
import { median } from '../estimate/robust';

/** The response of an 8-bit camera as it is kept: its departure from a curve with a name, natural logarithm at `RESPONSE_KNOTS` codes, one list a channel. */
export interface KeptResponse {
  curve: Curve;
  departures: [number[], number[], number[]];
}

export type ResponseTables = [Float32Array, Float32Array, Float32Array];

/** Knots of the departure, spaced evenly in code^0.7: denser in the shadows. */
export const RESPONSE_KNOTS = 22;
/** Responses depart from curves with a name by less: natural log. */
export const MOST_DEPARTURE = 5;
/** Codes over which responses are compared: below is noise, above may be clipped. */
const [LEAST_CODE, MOST_CODE] = [20, 240];

/** Code at a knot, 0 to 255, not rounded. */
export const codeAtKnot = (knot: number): number => 255 * (knot / (RESPONSE_KNOTS - 1)) ** (1 / 0.7);

/** Hat functions between knots: index of the left knot and the share of the right one. */
export function knotOf(code: number): { left: number; share: number } {
  const u = Math.pow(code / 255, 0.7) * (RESPONSE_KNOTS - 1);
  const left = Math.min(RESPONSE_KNOTS - 2, Math.floor(u));
  return { left, share: u - left };
}

/** The logarithm of a curve's light at every code. */
export const logCurve = (curve: Curve): Float32Array =>
  decodingTable(curve, 255).map((v) => Math.log(Math.max(v, 1e-6)));

/** Linear value of each code, one table a channel: monotone, and anchored to the curve at code 128, so that channels keep their balance. */
export function responseTables({ curve, departures }: KeptResponse): ResponseTables {
  const [prior, log] = [decodingTable(curve, 255), logCurve(curve)];
  return departures.map((d) => {
    const raw = Float64Array.from({ length: 256 }, (_, code) => {
      const { left, share } = knotOf(code);
      return Math.exp(log[code] + (1 - share) * d[left] + share * d[left + 1]);
    });
    // Code 0 is below what can be told: half of code 1.
    raw[0] = raw[1] / 2;
    for (let code = 1; code < 256; code++) raw[code] = Math.max(raw[code], raw[code - 1] * (1 + 1e-6) + 1e-9);
    const anchor = raw[128] / prior[128];
    return Float32Array.from(raw, (v) => v / anchor);
  }) as ResponseTables;
}

/** How far two responses lie apart over codes 20 to 240 after one scale a channel, stops; and `null` of curves with different names. */
export function responseDifferenceStops(a: KeptResponse, b: KeptResponse): number | null {
  if (a.curve !== b.curve) return null;
  return tablesDifferenceStops(responseTables(a), responseTables(b));
}

/** The same of tables. */
export function tablesDifferenceStops(a: ResponseTables, b: readonly ArrayLike<number>[]): number {
  return Math.max(
    ...a.map((table, channel) => {
      const stops = Array.from(table.subarray(LEAST_CODE, MOST_CODE + 1), (v, i) =>
        Math.log2(v / b[channel][LEAST_CODE + i]),
      );
      const middle = median(stops);
      return Math.max(...stops.map((s) => Math.abs(s - middle)));
    }),
  );
}
