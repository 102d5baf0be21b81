import {
  composeRows,
  conjugate,
  createImage,
  encodeUncertainty,
  RELATIVE_REC709,
  directionFromAngles,
  fromRotationVector,
  lensFromFov,
  multiply,
  quaternionFromAttitude,
  refineViews,
  rotate,
  toRotationVector,
  unprojectPixel,
  type View,
  type Vec3,
} from '../src';
import { random as createRandom } from './support/random';

/** A smooth but busy sphere: known in every direction. */
function radiance(d: Vec3): number {
  return (
    2 +
    Math.sin(9 * d[0] + 1) * Math.cos(7 * d[2]) +
    0.6 * Math.sin(13 * d[1] + 5 * d[0]) +
    0.3 * Math.sin(31 * d[2] - 17 * d[0])
  );
}

function shoot(attitude: View['attitude'], vignetting: (theta: number) => number = () => 1, gain = 1): View {
  const lens = lensFromFov('equidistant', 185, { width: 240, height: 360 });
  const image = createImage(240, 360, RELATIVE_REC709);
  for (let y = 0; y < 360; y++) {
    for (let x = 0; x < 240; x++) {
      const d = unprojectPixel(lens, x + 0.5, y + 0.5);
      const v = d ? gain * radiance(rotate(attitude, d)) * vignetting(Math.acos(-d[2])) : 0;
      image.data.fill(v, 3 * (y * 240 + x), 3 * (y * 240 + x) + 3);
    }
  }
  return { image, clipped: new Uint8Array(240 * 360), lens, attitude, logGain: 0, vignetting: [0, 0, 0] };
}

const nominal = (i: number, n: number) => quaternionFromAttitude({ headingDeg: (360 * i) / n, tiltDeg: 0, rollDeg: 0 });

describe('stitch', () => {
  test('six views give back the sphere', () => {
    const width = 256;
    const strip = { y0: 0, y1: 128, width, rgb: new Float32Array(width * 128 * 3), mask: new Uint8Array(width * 128) };
    composeRows(
      Array.from({ length: 6 }, (_, i) => shoot(nominal(i, 6))),
      [],
      strip,
    );
    const errors: number[] = [];
    for (let y = 0; y < 128; y++) {
      for (let x = 0; x < width; x++) {
        const d = directionFromAngles((360 * (x + 0.5)) / width, 90 - (180 * (y + 0.5)) / 128);
        errors.push(Math.abs(strip.rgb[3 * (y * width + x)] / radiance(d) - 1));
      }
    }
    errors.sort((a, b) => a - b);
    expect(errors[errors.length >> 1]).toBeLessThan(0.01);
    expect(errors[Math.floor(0.95 * errors.length)]).toBeLessThan(0.05);
    expect(strip.mask.every((m) => m === 0)).toBe(true);
  });

  test('pixels that no view sees are marked, not invented', () => {
    const strip = { y0: 0, y1: 32, width: 64, rgb: new Float32Array(64 * 32 * 3), mask: new Uint8Array(64 * 32) };
    composeRows([shoot(nominal(0, 1))], [], strip);
    expect(strip.mask[16 * 64 + 32]).toBe(2);
    expect(strip.mask[16 * 64]).toBe(0);
  });

  test('refinement finds pointing, gain and vignetting that metadata does not know', () => {
    const errors: Vec3[] = [
      [0.004, -0.003, 0.002],
      [-0.003, 0.004, 0.001],
      [0.001, -0.002, -0.004],
      [-0.002, 0.003, 0.002],
      [0.003, -0.001, -0.002],
      [-0.003, -0.001, 0.001],
    ];
    const truth = errors.map((e, i) => multiply(fromRotationVector(e), nominal(i, 6)));
    const views = truth.map((q, i) => ({
      ...shoot(q, (t) => Math.cos(0.5 * t), i === 2 ? 1.03 : 1),
      attitude: nominal(i, 6),
    }));
    const fit = refineViews(views);
    const common = multiply(truth[0], conjugate(fit.attitudes[0]));
    const rest = truth.map(
      (q, i) =>
        Math.hypot(...toRotationVector(multiply(q, conjugate(multiply(common, fit.attitudes[i]))))) * (180 / Math.PI),
    );
    expect(Math.max(...rest)).toBeLessThan(0.04);
    expect(fit.logGains[2] - fit.logGains[0]).toBeCloseTo(Math.log(1.03), 2);
    const corrected = Math.exp(fit.vignetting[0] + fit.vignetting[1] + fit.vignetting[2]);
    expect(corrected).toBeCloseTo(Math.cos(0.5), 1);
  });

  test('what the noise of the views explains of their differences is told apart', () => {
    const random = createRandom(7);
    const noisy = (i: number, relative: number): View => {
      const view = shoot(nominal(i, 6));
      const pixels = view.clipped.length;
      for (let p = 0; p < pixels; p++) {
        const factor = 1 + relative * random.normal();
        for (let c = 0; c < 3; c++) view.image.data[3 * p + c] *= factor;
      }
      return { ...view, uncertainty: new Uint8Array(pixels).fill(encodeUncertainty(relative)) };
    };
    const round = (relative: number) => refineViews(Array.from({ length: 6 }, (_, i) => noisy(i, relative)));
    const [still, dark] = [round(0.001), round(0.08)];
    expect(still.noiseStops).toBeLessThan(0.001);
    expect(dark.noiseStops).toBeGreaterThan(0.04);
    // All of it but what the still one has as well.
    expect(Math.abs(Math.hypot(dark.noiseStops, still.residualStops) / dark.residualStops - 1)).toBeLessThan(0.1);
    expect(refineViews(Array.from({ length: 6 }, (_, i) => shoot(nominal(i, 6)))).noiseStops).toBe(0);
  });
});
