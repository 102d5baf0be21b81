/** Exposure arithmetic of CONVENTIONS.md section 3. Times in seconds, ND in stops, apertures as T-stops unless said otherwise. */

export interface ExposureState {
  /** Seconds the shutter is open, > 0. */
  shutterS: number;
  /** ISO or EI, > 0. */
  iso: number;
  /** T-stop (or the f-number divided by sqrt of the transmission), > 0. */
  tStop: number;
  /** Neutral density in stops, >= 0. */
  ndStops: number;
}

/** What is assumed of a lens's transmission while nobody states it; how well that is known is `SETTING_STOPS.transmission`. */
export const DEFAULT_TRANSMISSION = 0.8;

/** Density that halves the light: log10 2. */
export const DENSITY_PER_STOP = Math.log10(2);

function positive(name: string, value: number): void {
  if (!(value > 0) || !Number.isFinite(value)) {
    throw new RangeError(`${name} must be a positive number, not ${value}`);
  }
}

/** Photometric exposure of a frame: `X = t S / (100 N^2) 2^-ND`. @throws RangeError on values that no camera has. */
export function photometricExposure(e: ExposureState): number {
  positive('shutter time', e.shutterS);
  positive('ISO', e.iso);
  positive('T-stop', e.tStop);
  if (!(e.ndStops >= 0)) throw new RangeError(`ND must be 0 or more stops, not ${e.ndStops}`);
  return ((e.shutterS * e.iso) / (100 * e.tStop * e.tStop)) * Math.pow(2, -e.ndStops);
}

/** `EV100 = log2(N^2 / t) - log2(S / 100)`, raised by the ND. */
export function ev100(e: ExposureState): number {
  return -Math.log2(photometricExposure(e));
}

/** Seconds from a shutter angle in degrees (0, 360] and frames per second. */
export function shutterSeconds(angleDeg: number, fps: number): number {
  positive('shutter angle', angleDeg);
  positive('frame rate', fps);
  if (angleDeg > 360) throw new RangeError(`a shutter angle is at most 360 degrees, not ${angleDeg}`);
  return angleDeg / (360 * fps);
}

/** T-stop from an f-number and the lens's transmission (0, 1]. */
export function tStopFromFNumber(fNumber: number, transmission = DEFAULT_TRANSMISSION): number {
  positive('f-number', fNumber);
  if (!(transmission > 0 && transmission <= 1))
    throw new RangeError(`transmission must be in (0, 1], not ${transmission}`);
  return fNumber / Math.sqrt(transmission);
}

/** Difference of exposure in stops: log2 of the ratio. @throws RangeError when a value is not positive. */
export function stopsBetween(value: number, reference: number): number {
  positive('value', value);
  positive('reference', reference);
  return Math.log2(value / reference);
}

/** Luminance of a Lambert surface: `rho E / pi`, cd/m2 from lux. */
export function lambertLuminance(reflectance: number, illuminanceLux: number): number {
  return (reflectance * illuminanceLux) / Math.PI;
}

/**
 * Luminance in cd/m2 that just saturates a camera of nominal ISO at X = 1: 1.2.
 * From the saturation-based speed of ISO 12232 (H_sat = 78 / S lx s) and H = 0.65 L t / N^2.
 * A prior only (+- 0.3 stop): measurement decides.
 */
export const NOMINAL_LUMINANCE_PER_UNIT = 78 / (0.65 * 100);
