import { createImage, RELATIVE_REC709, gainFromCard, measurePatch } from '../src';

const grey = (value: number, width = 40, height = 20) => {
  const image = createImage(width, height, RELATIVE_REC709);
  image.data.fill(value);
  return image;
};

describe('grey card', () => {
  test('the gain is the ratio of the means in stops', () => {
    const plate = measurePatch(grey(0.4), { left: 5, top: 5, right: 15, bottom: 15 }, 'plate');
    const panorama = measurePatch(grey(0.05), { left: 5, top: 5, right: 15, bottom: 15 }, 'panorama');
    const gain = gainFromCard(plate, panorama);
    expect(gain.gainStops).toBeCloseTo(3, 5);
    expect(gain.channelStops[2]).toBeCloseTo(3, 5);
    expect(gain.uncertaintyStops).toBeGreaterThan(0.01);
  });

  test('uneven light on the card widens the interval', () => {
    const uneven = grey(0.2);
    for (let y = 0; y < 20; y++)
      for (let x = 0; x < 40; x++) uneven.data.fill(0.1 + 0.01 * x, 3 * (y * 40 + x), 3 * (y * 40 + x) + 3);
    const rect = { left: 5, top: 5, right: 35, bottom: 15 };
    const even = gainFromCard(measurePatch(grey(0.2), rect, 'plate'), measurePatch(grey(0.2), rect, 'panorama'));
    const bad = gainFromCard(measurePatch(uneven, rect, 'plate'), measurePatch(grey(0.2), rect, 'panorama'));
    expect(bad.uncertaintyStops).toBeGreaterThan(3 * even.uncertaintyStops);
  });

  test('a patch across the seam of the panorama', () => {
    const image = grey(1);
    image.data.fill(3, 0, 9);
    expect(measurePatch(image, { left: 36, top: 3, right: 4, bottom: 9 }, 'panorama').pixels).toBe(48);
  });

  test.each([
    [{ left: -3, top: 0, right: 9, bottom: 9 }, /outside the picture/],
    [{ left: 0, top: 0, right: 2, bottom: 9 }, /at least 3 x 3/],
    [{ left: 0, top: 0, right: 50, bottom: 9 }, /outside the picture/],
  ])('a mark that cannot be measured is refused', (rect, message) => {
    expect(() => measurePatch(grey(1), rect, 'plate')).toThrow(message);
  });

  test('black and clipped cards are refused', () => {
    expect(() => measurePatch(grey(0), { left: 0, top: 0, right: 9, bottom: 9 }, 'plate')).toThrow(/no light/);
    const clipped = measurePatch(
      grey(1),
      { left: 0, top: 0, right: 9, bottom: 9 },
      'plate',
      new Uint8Array(1e6).fill(1),
    );
    const fine = measurePatch(grey(0.5), { left: 0, top: 0, right: 9, bottom: 9 }, 'panorama', new Uint8Array(1e6));
    expect(() => gainFromCard(clipped, fine)).toThrow(/clipped in the plate/);
  });
});
