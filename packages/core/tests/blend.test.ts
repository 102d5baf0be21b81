import {
  brightestRegion,
  composeRows,
  createImage,
  RELATIVE_REC709,
  directionFromAngles,
  dot,
  lensFromFov,
  matchViews,
  quaternionFromAttitude,
  rotate,
  UNSEEN,
  unprojectPixel,
  type Vec3,
  type View,
  type WholeRegion,
} from '../src';

/** A smooth but busy sphere: known in every direction. */
const busy = (d: Vec3) => 2 + Math.sin(9 * d[0] + 1) * Math.cos(7 * d[2]) + 0.6 * Math.sin(13 * d[1] + 5 * d[0]);

const LENS = lensFromFov('equidistant', 185, { width: 240, height: 360 });

/** A view of a sphere, with what this view alone shows: `light` by direction and by the cosine of the angle from the axis. */
function shoot(headingDeg: number, light: (d: Vec3, cos: number) => number): View {
  const attitude = quaternionFromAttitude({ headingDeg, tiltDeg: 0, rollDeg: 0 });
  const image = createImage(LENS.width, LENS.height, RELATIVE_REC709);
  for (let y = 0; y < LENS.height; y++) {
    for (let x = 0; x < LENS.width; x++) {
      const d = unprojectPixel(LENS, x + 0.5, y + 0.5);
      image.data.fill(
        d ? light(rotate(attitude, d), -d[2]) : 0,
        3 * (y * LENS.width + x),
        3 * (y * LENS.width + x) + 3,
      );
    }
  }
  return {
    image,
    clipped: new Uint8Array(LENS.width * LENS.height),
    lens: LENS,
    attitude,
    logGain: 0,
    vignetting: [0, 0, 0],
  };
}

function compose(views: readonly View[], regions: readonly WholeRegion[] = [], width = 512) {
  const strip = {
    y0: 0,
    y1: width / 2,
    width,
    rgb: new Float32Array((width * width * 3) / 2),
    mask: new Uint8Array((width * width) / 2),
  };
  composeRows(views, regions, strip);
  return strip;
}

const blended = (views: readonly View[], regions: readonly WholeRegion[] = []) => {
  const { blends, moved } = matchViews(views, regions);
  return {
    ...compose(
      views.map((v, i) => ({ ...v, blend: blends[i] })),
      regions,
    ),
    moved,
  };
};

/** Relative error against a known sphere, of every pixel between two elevations. */
function errors(rgb: Float32Array, truth: (d: Vec3) => number, width: number, lowest = -60, highest = 60): number[] {
  const out: number[] = [];
  for (let y = 0; y < width / 2; y++) {
    const elevation = 90 - (180 * (y + 0.5)) / (width / 2);
    if (elevation < lowest || elevation > highest) continue;
    for (let x = 0; x < width; x++)
      out.push(rgb[3 * (y * width + x)] / truth(directionFromAngles((360 * (x + 0.5)) / width, elevation)) - 1);
  }
  return out;
}

const HEADINGS = [0, 60, 120, 180, 240, 300];

describe('blending of views', () => {
  test('views that agree are not changed by it', () => {
    const { rgb, moved, mask } = blended(HEADINGS.map((h) => shoot(h, busy)));
    expect(moved).toEqual([]);
    expect(mask.includes(UNSEEN)).toBe(false);
    const e = errors(rgb, busy, 512)
      .map(Math.abs)
      .sort((a, b) => a - b);
    expect(e[e.length >> 1]).toBeLessThan(0.004);
    expect(e[Math.floor(0.99 * e.length)]).toBeLessThan(0.03);
  });

  test('what vignetting is left over makes no step where views hand over', () => {
    // Each view 8 % darker at 60 degrees off its axis, and one of them 4 % brighter all over.
    const views = HEADINGS.map((h) => shoot(h, (d, cos) => busy(d) * (1 - 0.16 * (1 - cos)) * (h === 120 ? 1.04 : 1)));
    const { rgb } = blended(views);
    const along = errors(rgb, busy, 512, 0, 1).slice(0, 512);
    const step = Math.max(...along.map((e, x) => Math.abs(e - along[(x + 3) % 512])));
    // Handed over sharply without the factors the same views step by several per cent.
    const sharp = compose(
      views.map((v) => ({ ...v, blend: { width: 2, height: 1, data: new Float32Array(8).fill(1) } })),
    );
    const rough = errors(sharp.rgb, busy, 512, 0, 1).slice(0, 512);
    expect(Math.max(...rough.map((e, x) => Math.abs(e - rough[(x + 3) % 512])))).toBeGreaterThan(2 * step);
    expect(step).toBeLessThan(0.012);
  });

  test('a figure that stands in one view only is taken whole or left out, never half', () => {
    // Five degrees wide, dark, across the hand-over between the views at 0 and 60 degrees.
    const figure = directionFromAngles(30, 0);
    const inFigure = (d: Vec3) => dot(d, figure) > Math.cos((5 * Math.PI) / 180);
    const { rgb, moved } = blended(HEADINGS.map((h) => shoot(h, (d) => (h === 60 && inFigure(d) ? 0.2 : busy(d)))));
    expect(moved).toHaveLength(1);
    expect(Math.abs(moved[0].azimuthDeg - 30)).toBeLessThan(1.5);
    expect(Math.abs(moved[0].elevationDeg)).toBeLessThan(1.5);
    // Three views see the place; two of them without the figure, so it is not there.
    expect(moved[0].view).not.toBe(1);
    const without = blended(HEADINGS.map((h) => shoot(h, busy))).rgb;
    const at = (azimuth: number) =>
      rgb[3 * (128 * 512 + Math.floor((azimuth / 360) * 512))] /
      without[3 * (128 * 512 + Math.floor((azimuth / 360) * 512))];
    for (let azimuth = 20; azimuth <= 40; azimuth += 0.7) expect(Math.abs(at(azimuth) - 1)).toBeLessThan(0.03);
    // A place that somebody chose a view for is left to that view.
    const chosen = [{ direction: figure, radiusDeg: 8, view: 1 }];
    const kept = blended(
      HEADINGS.map((h) => shoot(h, (d) => (h === 60 && inFigure(d) ? 0.2 : busy(d)))),
      chosen,
    );
    expect(kept.moved).toEqual([]);
    expect(kept.rgb[3 * (128 * 512 + Math.floor((30 / 360) * 512))]).toBeCloseTo(0.2, 3);
  });

  test('the sun keeps its flux, and what stands beside it its darkness', () => {
    const sunAt = directionFromAngles(31, 20);
    const sun = (d: Vec3) => (dot(d, sunAt) > Math.cos((0.8 * Math.PI) / 180) ? 50000 : busy(d));
    const views = HEADINGS.map((h) => shoot(h, (d, cos) => sun(d) * (1 - 0.1 * (1 - cos))));
    const regions = brightestRegion(views);
    expect(regions).toHaveLength(1);
    const flux = (rgb: Float32Array) => {
      let sum = 0;
      for (let y = 90; y < 110; y++)
        for (let x = 30; x < 60; x++) sum += rgb[3 * (y * 512 + x)] * Math.cos((Math.PI * (y - 127.5)) / 256);
      return sum;
    };
    // The one view that shows it, projected alone.
    const alone = flux(compose([views[regions[0].view]]).rgb);
    const { rgb, moved } = blended(views, regions);
    expect(moved).toEqual([]);
    expect(flux(rgb) / alone).toBeCloseTo(1, 4);
    // A degree and a half beside the disc nothing is lifted or sunk.
    const beside = errors(rgb, busy, 512, 10, 30).filter((_, i) => {
      const d = directionFromAngles(
        (360 * ((i % 512) + 0.5)) / 512,
        30 - 180 / 512 - (180 * Math.floor(i / 512)) / 256,
      );
      const away = (Math.acos(dot(d, sunAt)) * 180) / Math.PI;
      return away > 2 && away < 8;
    });
    expect(beside.length).toBeGreaterThan(200);
    expect(Math.max(...beside.map(Math.abs))).toBeLessThan(0.1);
  });

  test('light that changed over a large part is no thing that moved', () => {
    const { moved } = blended(HEADINGS.map((h) => shoot(h, (d) => busy(d) * (h >= 180 ? 0.5 : 1))));
    expect(moved).toEqual([]);
  });
});
