import { luminance, wrap360, type Vec3 } from '@tawny/core';
import type { Random } from '../random';

/** What a real instrument adds to the truth: an excess of its own and noise (one sigma), in its unit. */
export interface InstrumentFault {
  bias: number;
  sigma: number;
}

/** A compass at a place: it points to magnetic north, off by its bias, shaky by its sigma. CONVENTIONS.md section 1, read backwards. */
export function compassReading(
  trueDeg: number,
  declinationDeg: number,
  fault: InstrumentFault,
  random: Random,
): number {
  return (Math.round(wrap360(trueDeg - declinationDeg + fault.bias + fault.sigma * random.normal()) * 10) / 10) % 360;
}

/** Any instrument that shows its quantity as it is: inclinometer, tape, laser, positioning; `step` is its display's last digit. */
export function plainReading(truth: number, fault: InstrumentFault, random: Random, step: number): number {
  return Number((Math.round((truth + fault.bias + fault.sigma * random.normal()) / step) * step).toFixed(6));
}

/** A light meter: bias in lux, sigma as a share; three digits are shown. */
export function lightMeterReading(lux: number, fault: InstrumentFault, random: Random): number {
  return Number(Math.max(0, lux * (1 + fault.sigma * random.normal()) + fault.bias).toPrecision(3));
}

/** Illuminance on a plane from what surrounds it and the sun's disc: luminance of the two sums, lux. */
export function planeIlluminance(
  surround: readonly [number, number, number],
  sun: { direction: Vec3; radius: number; radiance: readonly [number, number, number] },
  normal: Vec3,
): number {
  const facing = Math.max(
    0,
    sun.direction[0] * normal[0] + sun.direction[1] * normal[1] + sun.direction[2] * normal[2],
  );
  const solid = 2 * Math.PI * (1 - Math.cos(sun.radius));
  return (
    luminance(...surround, 'rec709') +
    luminance(...(sun.radiance as [number, number, number]), 'rec709') * solid * facing
  );
}
