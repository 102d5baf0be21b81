import { createImage, type RgbImage } from '../image/image';
import { anglesFromDirection, DEG, directionFromAngles, dot, wrap360, type Vec3 } from './direction';

/** @throws RangeError unless width = 2 x height. CONVENTIONS.md section 2. */
export function assertLatlong(image: { width: number; height: number }): void {
  if (image.width !== 2 * image.height) {
    throw new RangeError(
      `a latitude-longitude panorama is twice as wide as high; this one is ${image.width} x ${image.height}`,
    );
  }
}

/** Azimuth and elevation in degrees of the centre of pixel (x, y); x, y may be fractional. CONVENTIONS.md section 2. */
export function anglesAtPixel(x: number, y: number, width: number, height: number) {
  return { azimuthDeg: (360 * (x + 0.5)) / width, elevationDeg: 90 - (180 * (y + 0.5)) / height };
}

/** Fractional pixel whose centre looks at an azimuth and elevation (degrees): inverse of `anglesAtPixel`. */
export function pixelAtAngles(azimuthDeg: number, elevationDeg: number, width: number, height: number) {
  return {
    x: (wrap360(azimuthDeg) / 360) * width - 0.5,
    y: ((90 - elevationDeg) / 180) * height - 0.5,
  };
}

/** Steradians of one pixel of row y: `(2 pi / W) (sin el_top - sin el_bottom)`; all pixels add up to 4 pi. */
export function rowSolidAngle(y: number, width: number, height: number): number {
  const top = (0.5 - y / height) * Math.PI;
  const bottom = (0.5 - (y + 1) / height) * Math.PI;
  return ((2 * Math.PI) / width) * (Math.sin(top) - Math.sin(bottom));
}

/** Solid angles of all rows, steradians per pixel, length = height. */
export function rowSolidAngles(width: number, height: number): Float64Array {
  return Float64Array.from({ length: height }, (_, y) => rowSolidAngle(y, width, height));
}

/**
 * Illuminance on a surface with unit normal n: sum of `L max(0, n . w) dOmega`, one number a channel,
 * in lux when the panorama is in cd/m2. CONVENTIONS.md section 3. Pixel directions are taken at centres.
 */
export function illuminance(panorama: RgbImage, n: Vec3): [number, number, number] {
  assertLatlong(panorama);
  const { width, height, data } = panorama;
  const sums: [number, number, number] = [0, 0, 0];
  const sinAz = new Float64Array(width);
  const cosAz = new Float64Array(width);
  for (let x = 0; x < width; x++) {
    const az = ((2 * Math.PI) / width) * (x + 0.5);
    sinAz[x] = Math.sin(az);
    cosAz[x] = -Math.cos(az);
  }
  for (let y = 0; y < height; y++) {
    const el = (90 - (180 * (y + 0.5)) / height) * DEG;
    const up = Math.sin(el) * n[1];
    const c = Math.cos(el);
    const omega = rowSolidAngle(y, width, height);
    let r = 0;
    let g = 0;
    let b = 0;
    for (let x = 0, i = 3 * y * width; x < width; x++, i += 3) {
      const k = c * (sinAz[x] * n[0] + cosAz[x] * n[2]) + up;
      if (k > 0) {
        r += data[i] * k;
        g += data[i + 1] * k;
        b += data[i + 2] * k;
      }
    }
    sums[0] += r * omega;
    sums[1] += g * omega;
    sums[2] += b * omega;
  }
  return sums;
}

/** Overlap lengths of output cell [k, k+1) * scale with input cells, as (first input, weights). */
function spans(outLength: number, inLength: number, weight: (cell: number) => number) {
  const scale = inLength / outLength;
  return Array.from({ length: outLength }, (_, k) => {
    const from = k * scale;
    const to = (k + 1) * scale;
    const first = Math.floor(from + 1e-9);
    const last = Math.min(inLength - 1, Math.ceil(to - 1e-9) - 1);
    const weights = new Float64Array(last - first + 1);
    let sum = 0;
    for (let i = first; i <= last; i++) {
      const w = (Math.min(to, i + 1) - Math.max(from, i)) * weight(i);
      weights[i - first] = w;
      sum += w;
    }
    for (let i = 0; i < weights.length; i++) weights[i] /= sum;
    return { first, weights };
  });
}

/**
 * Area-averages a panorama to a smaller (or equal) width, weighting rows by their solid angle, so that
 * the flux of every output pixel is the flux of what it covers. @throws RangeError when asked to enlarge.
 */
export function resampleLatlong(panorama: RgbImage, width: number): RgbImage {
  assertLatlong(panorama);
  if (width === panorama.width) return panorama;
  if (width > panorama.width || width % 2 !== 0) {
    throw new RangeError(`cannot area-average a panorama of width ${panorama.width} to width ${width}`);
  }
  const out = createImage(width, width / 2, panorama);
  out.data.set(averagedLatlong(panorama.data, 3, panorama.width, width));
  return out;
}

/**
 * Means over the solid angle of a latitude-longitude picture of any number of channels, at a smaller even width, see `resampleLatlong`.
 * @param asked first row of the result, and the one after the last: the others stay 0
 */
export function averagedLatlong(
  data: Float32Array,
  channels: number,
  from: number,
  width: number,
  asked: readonly [number, number] = [0, width / 2],
): Float32Array {
  const out = new Float32Array(channels * width * (width / 2));
  const columns = spans(width, from, () => 1);
  const rows = spans(width / 2, from / 2, (y) => rowSolidAngle(y, from, from / 2));
  const line = new Float64Array(from * channels);
  rows.forEach((row, y) => {
    if (y < asked[0] || y >= asked[1]) return;
    line.fill(0);
    row.weights.forEach((w, k) => {
      const base = channels * (row.first + k) * from;
      for (let i = 0; i < line.length; i++) line[i] += w * data[base + i];
    });
    for (let x = 0; x < width; x++) {
      const { first, weights } = columns[x];
      for (let c = 0; c < channels; c++) {
        let sum = 0;
        for (let k = 0; k < weights.length; k++) sum += weights[k] * line[channels * (first + k) + c];
        out[channels * (y * width + x) + c] = sum;
      }
    }
  });
  return out;
}

/**
 * Turns a panorama about the vertical so that what stood at azimuth a stands at a + yawDeg.
 * Linear interpolation along the rows: every row keeps its sum, hence its flux, to rounding.
 */
export function turnPanorama(panorama: RgbImage, yawDeg: number): RgbImage {
  assertLatlong(panorama);
  const { width, height, data } = panorama;
  const out = createImage(width, height, panorama);
  const shift = (wrap360(yawDeg) / 360) * width;
  const whole = Math.floor(shift);
  const f = shift - whole;
  for (let x = 0; x < width; x++) {
    const near = (((x - whole) % width) + width) % width;
    const far = (near - 1 + width) % width;
    for (let y = 0; y < height; y++) {
      const o = 3 * (y * width + x);
      const a = 3 * (y * width + near);
      const b = 3 * (y * width + far);
      for (let c = 0; c < 3; c++) {
        out.data[o + c] = f === 0 ? data[a + c] : data[a + c] * (1 - f) + data[b + c] * f;
      }
    }
  }
  return out;
}

/** Indices of pixels whose centre lies within an angle (radians) of a direction. */
export function pixelsWithin(direction: Vec3, radius: number, width: number, height: number): number[] {
  const { elevationDeg } = anglesFromDirection(direction);
  const margin = radius / DEG + 180 / height;
  const first = Math.max(0, Math.floor(((90 - elevationDeg - margin) / 180) * height));
  const last = Math.min(height - 1, Math.ceil(((90 - elevationDeg + margin) / 180) * height));
  const limit = Math.cos(radius);
  const out: number[] = [];
  for (let row = first; row <= last; row++) {
    for (let column = 0; column < width; column++) {
      const a = anglesAtPixel(column, row, width, height);
      if (dot(directionFromAngles(a.azimuthDeg, a.elevationDeg), direction) >= limit) out.push(row * width + column);
    }
  }
  return out;
}
