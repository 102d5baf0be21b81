import {
  createImage,
  DETAIL_SIDE,
  RELATIVE_REC709,
  repeatedViews,
  sharedDetail,
  viewDetail,
  type ViewDetail,
} from '../src';
import { random as seeded } from './support/random';

const SIDE = 4 * DETAIL_SIDE;
const everything = () => true;

type Light = (x: number, y: number) => number;

/** A square view of light in cd/m2, by place in cells. */
const seen = (light: Light, held: (pixel: number) => boolean = everything): ViewDetail => {
  const image = createImage(SIDE, SIDE, RELATIVE_REC709);
  for (let p = 0; p < SIDE * SIDE; p++)
    image.data.fill(light((p % SIDE) / 4, Math.floor(p / SIDE) / 4), 3 * p, 3 * p + 3);
  return viewDetail(image, held);
};

/** Sky over water, the same wherever one looks: the horizon in the middle, falloff to the edges. */
const open: Light = (x, y) =>
  (y < DETAIL_SIDE / 2 ? 4000 : 900) * 2 ** (-0.0015 * ((x - DETAIL_SIDE / 2) ** 2 + (y - DETAIL_SIDE / 2) ** 2));

/** Boats and sheds on the water, others in every direction. */
function shore(seed: number, count = 40): Light {
  const random = seeded(seed);
  const things = Array.from({ length: count }, () => ({
    x: DETAIL_SIDE * random.next(),
    y: DETAIL_SIDE * (0.4 + 0.3 * random.next()),
    wide: 0.5 + 3 * random.next(),
    tall: 0.5 + 3 * random.next(),
    light: 2 ** (1.5 * random.normal()),
  }));
  return (x, y) =>
    things.reduce((l, t) => (Math.abs(x - t.x) < t.wide && Math.abs(y - t.y) < t.tall ? l * t.light : l), open(x, y));
}

/** The same light, read with noise of its own, brighter by a factor and seen a little aside. */
function again(light: Light, seed: number, { factor = 1, asideCells = 0 } = {}): Light {
  const random = seeded(seed);
  return (x, y) => light(x + asideCells, y) * factor * (1 + 0.05 * random.normal());
}

/** Three legs that stand in every view. */
const onLegs =
  (light: Light): Light =>
  (x, y) =>
    y > 0.6 * DETAIL_SIDE && [12, 24, 36].some((leg) => Math.abs(x - leg - (y - 40) / 4) < 1) ? 20 : light(x, y);

const round = (light: (view: number) => Light): ViewDetail[] => [0, 1, 2, 3, 4, 5].map((v) => seen(again(light(v), v)));

const NONE = [null, null, null, null, null, null];

test('detail does not know how bright a view is, nor how its light falls off', () => {
  const one = seen(shore(1));
  const darker = seen((x, y) => shore(1)(x, y) / 500);
  expect(sharedDetail(one, darker)).toBeGreaterThan(0.9999);
  // Away from the horizon nothing but falloff is left of open water.
  const water = seen(open).slice(30 * DETAIL_SIDE);
  expect(Math.max(...water.filter((v) => !Number.isNaN(v)).map(Math.abs))).toBeLessThan(0.1);
});

test.each([1, 2, 3, 4, 5])(
  'views of one open place share sky, horizon and falloff, and are not the same (seed %d)',
  (seed) => {
    expect(repeatedViews(round((v) => shore(10 * seed + v)))).toEqual(NONE);
  },
);

test.each([
  ['as it was', {}],
  ['half as bright', { factor: 0.5 }],
  ['seen a third of a cell aside', { asideCells: 0.3 }],
])('a view shot twice is told of the later one, %s', (_, how) => {
  const details = round((v) => (v === 3 ? again(shore(1), 99, how) : shore(v)));
  expect(repeatedViews(details)).toEqual([null, null, null, 1, null, null]);
});

test('of two views alone, and of three, a repeat is told as well', () => {
  const [a, same, other] = [shore(1), again(shore(1), 7), shore(2)].map((l) => seen(l));
  expect(repeatedViews([a, same])).toEqual([null, 0]);
  expect(repeatedViews([a, other])).toEqual([null, null]);
  expect(repeatedViews([a, other, same])).toEqual([null, null, 0]);
});

test('a head that never turned repeats its first view in every view', () => {
  expect(repeatedViews(round(() => shore(1)))).toEqual([null, 0, 0, 0, 0, 0]);
});

test('legs of the tripod stand in every view and tell nothing; a repeat above them is told', () => {
  expect(repeatedViews(round((v) => onLegs(shore(v, 12))))).toEqual(NONE);
  expect(repeatedViews(round((v) => onLegs(shore(v === 4 ? 2 : v, 40))))).toEqual([null, null, null, null, 2, null]);
});

test('fog, noise and what is not held tell nothing', () => {
  const fog: Light = (x, y) => 300 * 2 ** (-0.0015 * ((x - DETAIL_SIDE / 2) ** 2 + (y - DETAIL_SIDE / 2) ** 2));
  expect(repeatedViews(round(() => fog))).toEqual(NONE);
  expect(
    sharedDetail(
      seen(shore(1), () => false),
      seen(shore(1)),
    ),
  ).toBeNull();
  const corner = (p: number) => p % SIDE < SIDE / 6 && p < (SIDE * SIDE) / 6;
  expect(sharedDetail(seen(shore(1), corner), seen(shore(1)))).toBeNull();
  expect(() => viewDetail(createImage(8, 8, RELATIVE_REC709), everything)).toThrow(/too small/);
});
