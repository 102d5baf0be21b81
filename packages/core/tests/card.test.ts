import fc from 'fast-check';
import {
  anglesAtPixel,
  arcDeg,
  createImage,
  directionFromAngles,
  expectedFalloff,
  flatAngles,
  flatMask,
  flatPixel,
  flatView,
  gainFromCard,
  measureCard,
  RELATIVE_REC709,
  viewAround,
  type Corners,
} from '../src';

const grey = (value: number, width = 60, height = 40) => {
  const image = createImage(width, height, RELATIVE_REC709);
  image.data.fill(value);
  return image;
};
const box = (left: number, top: number, right: number, bottom: number): Corners => [
  [left, top],
  [right, top],
  [right, bottom],
  [left, bottom],
];
const ALL = box(5, 5, 45, 35);

describe('grey card', () => {
  test('the gain is the ratio of the means in stops', () => {
    const gain = gainFromCard(measureCard(grey(0.4), ALL, 'plate'), measureCard(grey(0.05), ALL, 'panorama'));
    expect(gain.gainStops).toBeCloseTo(3, 5);
    expect(gain.channelStops[2]).toBeCloseTo(3, 5);
    expect(gain.uncertaintyStops).toBeGreaterThan(0.01);
  });

  test('corners in perspective leave out what lies beside them', () => {
    const image = grey(2);
    const quad: Corners = [
      [10, 8],
      [50, 14],
      [44, 33],
      [14, 36],
    ];
    for (let y = 0; y < 40; y++)
      for (let x = 0; x < 60; x++) {
        const inside = quad.every(([ax, ay], k) => {
          const [bx, by] = quad[(k + 1) % 4];
          return (bx - ax) * (y + 0.5 - ay) - (by - ay) * (x + 0.5 - ax) > 0;
        });
        if (inside) image.data.fill(0.25, 3 * (y * 60 + x), 3 * (y * 60 + x) + 3);
      }
    const found = measureCard(image, quad, 'plate');
    expect(found.luminance).toBeCloseTo(0.25, 6);
    expect(found.relativeSigma).toBeLessThan(1e-6);
  });

  test('uneven light on the card widens the interval', () => {
    const uneven = grey(0.2);
    for (let y = 0; y < 40; y++)
      for (let x = 0; x < 60; x++) uneven.data.fill(0.1 + 0.01 * x, 3 * (y * 60 + x), 3 * (y * 60 + x) + 3);
    const even = gainFromCard(measureCard(grey(0.2), ALL, 'plate'), measureCard(grey(0.2), ALL, 'panorama'));
    const bad = gainFromCard(measureCard(uneven, ALL, 'plate'), measureCard(grey(0.2), ALL, 'panorama'));
    expect(bad.uncertaintyStops).toBeGreaterThan(3 * even.uncertaintyStops);
  });

  test.each([
    [box(-3, 0, 20, 20), /plate lies partly outside the picture \(60 x 40\)/],
    [box(0, 0, 20, 4), /is only 4 pixels high or wide/],
    [box(0, 0, 70, 20), /outside the picture/],
    [[[0, 0], [30, 30], [30, 0], [0, 30]] as unknown as Corners, /do not go round/],
  ])('a mark that cannot be measured is refused', (corners, message) => {
    expect(() => measureCard(grey(1), corners, 'plate')).toThrow(message);
  }); // prettier-ignore

  test('black and clipped cards are refused', () => {
    expect(() => measureCard(grey(0), ALL, 'plate')).toThrow(/no light/);
    const clipped = measureCard(grey(1), ALL, 'plate', { clipped: new Uint8Array(2400).fill(1) });
    const fine = measureCard(grey(0.5), ALL, 'panorama', { clipped: new Uint8Array(2400) });
    expect(() => gainFromCard(clipped, fine)).toThrow(/clipped in the plate/);
    expect(() => gainFromCard(fine, clipped)).toThrow(/clipped in the panorama/);
  });

  test('what a lens is expected to take is none in the middle, and holds none and the natural falloff beside it', () => {
    expect(Math.abs(expectedFalloff(0).stops)).toBe(0);
    const { stops, uncertaintyStops } = expectedFalloff(20);
    const natural = 4 * Math.log2(Math.cos(Math.PI / 9));
    expect(stops + uncertaintyStops).toBeCloseTo(0, 12);
    expect(stops - uncertaintyStops).toBeCloseTo(natural, 12);
    const plain = gainFromCard(measureCard(grey(0.4), ALL, 'plate'), measureCard(grey(0.1), ALL, 'panorama'));
    const off = gainFromCard(measureCard(grey(0.4), ALL, 'plate'), measureCard(grey(0.1), ALL, 'panorama'), { stops, uncertaintyStops }); // prettier-ignore
    expect(off.gainStops - plain.gainStops).toBeCloseTo(-stops, 12);
    expect(off.channelStops[0] - plain.channelStops[0]).toBeCloseTo(-stops, 12);
    expect(off.uncertaintyStops).toBeGreaterThan(uncertaintyStops);
  });
});

describe('a view into a panorama', () => {
  const view = { azimuthDeg: 359, elevationDeg: 25, spanDeg: 40, width: 300, height: 200 };
  test('pixel and direction are each other’s inverse', () => {
    fc.assert(
      fc.property(fc.double({ min: 0, max: 300, noNaN: true }), fc.double({ min: 0, max: 200, noNaN: true }), (x, y) => {
        const back = flatPixel(view, flatAngles(view, [x, y]));
        expect(back[0]).toBeCloseTo(x, 6);
        expect(back[1]).toBeCloseTo(y, 6);
      }),
    ); // prettier-ignore
    const middle = flatAngles(view, [150, 100]);
    expect([middle.azimuthDeg, middle.elevationDeg]).toEqual([expect.closeTo(359, 9), expect.closeTo(25, 9)]);
    // To the right azimuth grows, upwards elevation does.
    expect(flatAngles(view, [290, 100]).azimuthDeg).toBeLessThan(40);
    expect(flatAngles(view, [150, 10]).elevationDeg).toBeGreaterThan(30);
    expect(() => flatPixel(view, { azimuthDeg: 179, elevationDeg: -25 })).toThrow(/too far/);
  });

  test('shows what the panorama holds there, across its seam', () => {
    const panorama = createImage(720, 360, RELATIVE_REC709);
    const mask = new Uint8Array(720 * 360);
    for (let y = 0; y < 360; y++)
      for (let x = 0; x < 720; x++) {
        const { azimuthDeg, elevationDeg } = anglesAtPixel(x, y, 720, 360);
        const d = directionFromAngles(azimuthDeg, elevationDeg);
        panorama.data.set([2 + d[0], 2 + d[1], 2 + d[2]], 3 * (y * 720 + x));
        mask[y * 720 + x] = Number(arcDeg(d, directionFromAngles(2, 20)) < 3);
      }
    const seen = flatView(panorama, view);
    const covered = flatMask(mask, 720, view);
    for (const [x, y] of [[0, 0], [150, 100], [170, 120], [299, 199]]) {
      const { azimuthDeg, elevationDeg } = flatAngles(view, [x + 0.5, y + 0.5]);
      const d = directionFromAngles(azimuthDeg, elevationDeg);
      for (let c = 0; c < 3; c++) expect(seen.data[3 * (y * 300 + x) + c]).toBeCloseTo(2 + d[c], 3);
      const off = arcDeg(d, directionFromAngles(2, 20));
      if (Math.abs(off - 3) > 0.5) expect(covered[y * 300 + x]).toBe(Number(off < 3));
    }
  }); // prettier-ignore

  test('is laid about four corners, closely enough, and not about what is no card', () => {
    const corners = [[359, 1], [2, 1], [2, -1], [359, -1]].map(([azimuthDeg, elevationDeg]) => ({ azimuthDeg, elevationDeg })); // prettier-ignore
    const about = viewAround(corners, 1024);
    for (const c of corners) {
      const [x, y] = flatPixel(about, c);
      expect(x).toBeGreaterThan(0.1 * about.width);
      expect(x).toBeLessThan(0.9 * about.width);
      expect(y).toBeGreaterThan(0.1 * about.height);
      expect(y).toBeLessThan(0.9 * about.height);
    }
    const [[x0], [x1]] = [flatPixel(about, corners[0]), flatPixel(about, corners[1])];
    expect(x1 - x0).toBeGreaterThan(48);
    const apart = [0, 90, 180, 270].map((azimuthDeg) => ({ azimuthDeg, elevationDeg: 0 }));
    expect(() => viewAround(apart, 1024)).toThrow(/corners/);
    expect(() => viewAround(corners.map(() => corners[0]), 1024)).toThrow(/do not go round/); // prettier-ignore
  });
});
