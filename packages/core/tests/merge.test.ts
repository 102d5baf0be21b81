import { decodingTable, linearToSrgb, mergeBracket, quantisationVariance, srgbToLinear } from '../src';

const one = (codes: number[]) => Uint16Array.from(codes);

describe('merge', () => {
  test('noise-free linear frames give back the radiance exactly', () => {
    const radiance = 0.0123;
    const frames = [1, 4, 16].map((x) => ({
      exposure: x,
      codes: one([0, 1, 2].map(() => Math.round(radiance * x * 65535))),
    }));
    const { image, clipped } = mergeBracket(frames, { width: 1, height: 1, curve: 'linear' });
    for (const v of image.data) expect(v / radiance).toBeCloseTo(1, 3);
    expect(clipped[0]).toBe(0);
  });

  test('where all frames clip the shortest gives a lower bound and it is said', () => {
    const { image, clipped, clipLevel } = mergeBracket(
      [
        { exposure: 1, codes: one([65535, 65535, 65535]) },
        { exposure: 0.25, codes: one([65535, 65535, 65535]) },
      ],
      { width: 1, height: 1, curve: 'linear' },
    );
    expect(clipped[0]).toBe(1);
    expect(image.data[0]).toBeCloseTo(4, 6);
    expect(clipLevel).toBeCloseTo(3.8, 6);
  });

  test('a clipped long frame never pulls the value down', () => {
    const { image } = mergeBracket(
      [
        { exposure: 16, codes: one([65535, 65535, 65535]) },
        { exposure: 1, codes: one([32768, 32768, 32768]) },
      ],
      { width: 1, height: 1, curve: 'linear' },
    );
    expect(image.data[1]).toBeCloseTo(0.5, 3);
  });

  test('8-bit frames by the sRGB curve', () => {
    const code = Math.round(255 * linearToSrgb(0.2));
    const { image } = mergeBracket([{ exposure: 2, codes: Uint8Array.from([code, code, code]) }], {
      width: 1,
      height: 1,
      curve: 'srgb',
    });
    expect(image.data[0]).toBeCloseTo(srgbToLinear(code / 255) / 2, 6);
  });

  test('the curve and its inverse, and the rounding noise of its slope', () => {
    for (let c = 0; c <= 255; c++) expect(Math.round(255 * linearToSrgb(srgbToLinear(c / 255)))).toBe(c);
    const v = quantisationVariance(decodingTable('linear', 255));
    expect(v[100]).toBeCloseTo(1 / 255 ** 2 / 12, 9);
  });

  test.each([
    [[], /at least one frame/],
    [[{ exposure: 0, codes: one([1, 1, 1]) }], /not positive/],
    [[{ exposure: 1, codes: one([1, 1]) }], /same size/],
    [
      [
        { exposure: 1, codes: one([1, 1, 1]) },
        { exposure: 2, codes: Uint8Array.from([1, 1, 1]) },
      ],
      /8-bit and 16-bit/,
    ],
  ])('what cannot be merged is refused', (frames, message) => {
    expect(() => mergeBracket(frames, { width: 1, height: 1, curve: 'linear' })).toThrow(message);
  });
});
