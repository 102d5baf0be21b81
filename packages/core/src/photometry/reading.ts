import { halfWidth95 } from '../estimate/confidence';
import { trueBearingDeg } from '../orient/declination';

export interface InstrumentState {
  /** Excess of the reading, in its unit. */
  bias: number;
  /** One sigma: a share for light, in the unit otherwise. */
  sigma: number;
}

export interface CorrectedReading {
  value: number;
  /** Half width of the 95 % interval, same unit. */
  uncertainty: number;
  /** What was taken off or added, in words with units. */
  steps: string[];
}

/** Assumed when a reading names no instrument: one sigma. */
export const UNKNOWN_SIGMA = {
  lux: 0.1,
  spot: 0.1,
  colourTemperature: 200,
  compass: 3,
  tilt: 1,
  distance: 0.05,
  height: 0.05,
  east: 0.1,
  north: 0.1,
} as const;

/**
 * A reading with its instrument's bias taken off and, for a compass, the declination added. CONVENTIONS.md sections 1 and 3.
 * Light is taken as biased by a share that is already in `bias` as an absolute excess.
 * @param declinationDeg null when the place or date is unknown: a compass bearing then stays magnetic and says so
 */
export function correctReading(
  kind: keyof typeof UNKNOWN_SIGMA,
  shown: number,
  instrument: InstrumentState | null,
  declination: { deg: number; sigmaDeg: number } | null,
): CorrectedReading {
  const steps: string[] = [];
  const bias = instrument?.bias ?? 0;
  const sigma = instrument?.sigma ?? UNKNOWN_SIGMA[kind];
  const unit = {
    lux: ' lux',
    spot: ' cd/m²',
    colourTemperature: ' K',
    compass: '°',
    tilt: '°',
    distance: ' m',
    height: ' m',
    east: ' m',
    north: ' m',
  }[kind];
  const signed = (v: number) => `${v < 0 ? '−' : '+'}${Math.abs(Number(v.toFixed(2)))}${unit}`;
  if (!instrument) steps.push('no instrument named: its usual uncertainty is assumed');
  if (bias !== 0) steps.push(`bias ${signed(bias)} taken off`);
  const share = kind === 'lux' || kind === 'spot';
  let value = shown - bias;
  let variance = (share ? sigma * Math.abs(value) : sigma) ** 2;
  if (kind === 'compass') {
    if (declination) {
      value = trueBearingDeg(shown, bias, declination.deg);
      variance += declination.sigmaDeg ** 2;
      steps.push(`declination ${signed(declination.deg)} added`);
    } else {
      value = trueBearingDeg(shown, bias, 0);
      steps.push('no declination: magnetic, not true');
    }
  }
  return { value, uncertainty: halfWidth95(Math.sqrt(variance)), steps };
}
