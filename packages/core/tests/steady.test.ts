import {
  frameDepartures,
  heldRatio,
  LOOK_SIDE,
  multiply,
  pairsToCompare,
  quaternionFromAttitude,
  turnedOutOfPlace,
  type HeldRatio,
  type SteadyFrame,
} from '../src';
import { random as seeded } from './support/random';

const CELLS = LOOK_SIDE * LOOK_SIDE;
const SHUTTERS = [1, 1 / 4, 1 / 16, 1 / 64, 1 / 256];
/** Real over engraved, the same in every view. */
const REAL = [1, 1.06, 0.97, 1.02, 0.95];

/** Views of scenes of their own over ten stops, by a camera whose curve is taken for another; `factor` is what light and shutter do to one frame alone. */
function round(views: number, factor: (view: number, frame: number) => number, seed = 1): SteadyFrame[][] {
  const random = seeded(seed);
  return Array.from({ length: views }, () => Array.from({ length: CELLS }, () => 2 ** (10 * random.next() - 2))).map(
    (scene, v) =>
      SHUTTERS.map((exposure, f) => ({
        exposure,
        look: scene.map((l) => {
          const light = Math.min(1, l * exposure * REAL[f] * factor(v, f));
          // A shoulder and a toe that nobody knows of.
          return light >= 0.95 ? 1 : light * (1.15 - 0.3 * light) * (1 + 0.01 * random.normal());
        }),
      })),
  );
}

const largest = (all: (number | null)[][]) => Math.max(...all.flat().map((d) => Math.abs(d!)));

test('a steady round has no departures, whatever curve and shutters are', () => {
  for (const seed of [1, 2, 3]) expect(largest(frameDepartures(round(6, () => 1, seed)))).toBeLessThan(0.04);
});

test.each([1.1, 0.9, 1.3])('one frame at %d of its light is told, and no other', (flicker) => {
  const told = frameDepartures(round(6, (v, f) => (v === 3 && f === 2 ? flicker : 1)));
  expect(told[3][2]).toBeCloseTo(Math.log2(flicker), 1);
  expect(Math.abs(told[3][2]! - Math.log2(flicker))).toBeLessThan(0.03);
  told[3][2] = 0;
  expect(largest(told)).toBeLessThan(0.05);
});

test('an exposure that was not held from a frame on is a step between the frames before and after', () => {
  const told = frameDepartures(round(6, (v, f) => (v === 1 && f >= 3 ? 2 ** (1 / 3) : 1)))[1] as number[];
  expect(told[3] - told[2]).toBeCloseTo(1 / 3, 1);
  expect(Math.abs(told[0] - told[2])).toBeLessThan(0.05);
});

test('small lights that long frames cut off, and a glance blends, are no flicker; flicker beside them is told', () => {
  // In two thirds of the cells of two views a lamp adds up to a stop as soon as the longer frame of a pair cuts it off.
  const random = seeded(8);
  const lit = (flicker: number) =>
    round(6, (v, f) => (v === 2 && f === 2 ? flicker : 1)).map((view, v) =>
      v > 1
        ? view
        : view.map((frame, f) =>
            f === 0 ? frame : { ...frame, look: frame.look!.map((l) => (random.next() < 0.6 && l < 0.2 ? l * 2 ** random.next() : l)) },
          ),
    ); // prettier-ignore
  for (const [v, view] of frameDepartures(lit(1)).entries())
    for (const [f, d] of view.entries()) if (d !== null) expect([v, f, Math.abs(d) < 0.1]).toEqual([v, f, true]);
  expect(Math.abs(frameDepartures(lit(1.15))[2][2]! - Math.log2(1.15))).toBeLessThan(0.08);
});

test('fewer than four views, frames that nobody looked at and exposures that nobody knows say nothing', () => {
  expect(frameDepartures(round(3, () => 1)).flat().every((d) => d === null)).toBe(true); // prettier-ignore
  const blind = round(6, () => 1);
  blind[2][1] = { ...blind[2][1], look: null };
  expect(frameDepartures(blind)[2].map((d) => d === null)).toEqual([true, true, false, false, false]);
  expect(
    frameDepartures(round(6, () => 1).map((v) => v.map((f) => ({ ...f, exposure: 0 }))))
      .flat()
      .every((d) => d === null),
  ).toBe(true);
});

test('pixels that both frames hold tell their ratio; what is cut off, dark or black tells nothing', () => {
  const random = seeded(3);
  const longer = Float32Array.from({ length: 4000 }, () => Math.min(1, 0.05 * 2 ** (6 * random.next())));
  const shorter = longer.map((l) => (l * 2 ** 0.3) / 4);
  const held = longer.filter((l, p) => l < 1 && shorter[p] > 0.01).length;
  const found = heldRatio(shorter, longer, -2)!;
  expect(found.pixels).toBe(held);
  expect(Math.abs(found.stops - 0.3)).toBeLessThan(0.005);
  expect(found.spread).toBeLessThan(0.01);
  // Where the longer frame is cut off a shorter one looks too bright; none of that counts.
  expect(heldRatio(new Float32Array([0.5, 0.004]), new Float32Array([1, 0.016]), -2)).toBeNull();
  const rough = heldRatio(
    shorter.map((v) => v * 2 ** (0.2 * random.normal())),
    longer,
    -2,
  )!;
  expect(Math.abs(rough.spread - 0.2)).toBeLessThan(0.02);
});

/** What the pixels of a round say: `lights` of them in every view. */
const pixelsSay = (views: number, stops: (view: number, pair: number) => number, pixels = 100): HeldRatio[][] =>
  Array.from({ length: views }, (_, v) =>
    SHUTTERS.slice(1).map((_s, i) => ({ stops: stops(v, i), spread: 0.1, pixels })),
  );

/** A round of which only lights are left from the third frame on: a glance sees none of them. */
const lightsOnly = () =>
  round(6, () => 1).map((view) => view.map((f, k) => (k < 3 ? f : { ...f, look: f.look!.map(() => 0.001) })));

test('where a glance sees next to nothing the pixels of the lights tell an exposure that was not held', () => {
  const views = lightsOnly();
  const asked = pairsToCompare(views);
  for (const view of asked) expect(view.slice(2)).toEqual([true, true]);
  expect(frameDepartures(views)[2].slice(3)).toEqual([null, null]);
  const told = frameDepartures(
    views,
    pixelsSay(6, (v, i) => 0.1 + 0.02 * v + (v === 2 && i === 3 ? 0.4 : 0)),
  );
  expect(told[2][4]! - told[2][3]!).toBeCloseTo(0.4, 1);
  told[2][4] = told[2][3];
  expect(largest(told)).toBeLessThan(0.05);
  // Sixteen pixels of one light and their noise are no proof, nor is a round of three views.
  const few = frameDepartures(
    views,
    pixelsSay(6, (v, i) => (v === 2 && i === 3 ? 0.3 : 0), 16),
  );
  expect(few[2][4]).toBe(few[2][3]);
  expect(pairsToCompare(views.slice(0, 3)).flat()).not.toContain(true);
});

test('what a glance says of a frame stands where its pixels say so too', () => {
  const flickers = round(6, (v, f) => (v === 3 && f === 2 ? 1.2 : 1));
  const asked = pairsToCompare(flickers);
  // Both neighbours of that frame, in every view, and no others of which enough is seen.
  for (const view of asked) expect(view[1]).toBe(true);
  const borneOut = frameDepartures(
    flickers,
    pixelsSay(6, (v, i) => (v === 3 ? [0, 0.26, -0.26, 0][i] : 0)),
  );
  expect(borneOut[3][2]).toBeCloseTo(Math.log2(1.2), 1);
  expect(
    largest(
      frameDepartures(
        flickers,
        pixelsSay(6, () => 0.1),
      ),
    ),
  ).toBeLessThan(0.04);
});

test('a view that stands elsewhere than was said is told against the others, whatever the whole was turned by', () => {
  const at = (headingDeg: number, tiltDeg = 0) => quaternionFromAttitude({ headingDeg, tiltDeg, rollDeg: 0 });
  const said = [0, 60, 120, 180, 240, 300].map((h) => at(h));
  const stood = said.map((q, i) => multiply(at(37, 0), multiply(at(i === 4 ? 7 : 0.5 * (i % 2)), q)));
  const off = turnedOutOfPlace(said, stood);
  expect(off[4]).toBeGreaterThan(6.4);
  expect(off[4]).toBeLessThan(7.6);
  off.forEach((d, i) => i !== 4 && expect(d).toBeLessThan(0.6));
  expect(() => turnedOutOfPlace(said, stood.slice(1))).toThrow(RangeError);
});
