import { compareLooks, groupBrackets, LOOK_SIDE, lookOf, withinCells, type FrameFacts } from '../src';
import { random } from './support/random';

const EV = [0, -2, -4, -6, -8];

/** Radiance of a 16 x 16 scene with a wide range, another one for each view. */
function scene(seed: number): number[] {
  const r = random(seed);
  return Array.from({ length: LOOK_SIDE * LOOK_SIDE }, () => 0.3 * 2 ** (2.5 * r.normal()));
}

/** What a frame of it looks like: noise, clipping, rounding. */
function look(radiance: readonly number[], x: number, r: ReturnType<typeof random>): number[] {
  return radiance.map((v) => Math.min(1, Math.max(0, v * x * (1 + 0.01 * r.normal()) + 0.0005 * r.normal())));
}

interface Round {
  frames: (FrameFacts & { view: number; rung: number })[];
  views: number;
}

/** A round as a card holds it: brackets in the camera's own order, times by its clock. */
function round(seed: number, views = 5): Round {
  const r = random(seed);
  const order = [
    [0, 1, 2, 3, 4],
    [4, 3, 2, 1, 0],
    [2, 1, 3, 0, 4],
  ][r.whole(3)];
  const frames: Round['frames'] = [];
  for (let v = 0; v < views; v++) {
    const light = scene(1000 * seed + v);
    order.forEach((k, i) =>
      frames.push({
        name: `f_${String(v * 5 + i).padStart(4, '0')}.jpg`,
        takenAtMs: v * 20000 + i * 500,
        exposure: 2 ** EV[k],
        width: 64,
        height: 48,
        look: look(light, 2 ** EV[k], r),
        view: v,
        rung: k,
      }),
    );
  }
  return { frames, views };
}

/** True when every bracket holds the frames of one view, all of them. */
function right(grouped: ReturnType<typeof groupBrackets<Round['frames'][number]>>, round: Round): boolean {
  const { brackets } = grouped;
  return (
    brackets.length === round.views &&
    brackets.every((b) => new Set(b.frames.map((f) => f.view)).size === 1) &&
    brackets.reduce((n, b) => n + b.frames.length, 0) === round.frames.length
  );
}

const SEEDS = Array.from({ length: 40 }, (_, i) => i + 1);

describe('grouping of rounds as cards hold them: right, or not called certain', () => {
  test('nothing wrong: right and certain, whatever order the camera brackets in', () => {
    for (const seed of SEEDS) {
      const g = round(seed);
      const found = groupBrackets(g.frames);
      expect({ seed, right: right(found, g), certain: found.certain }).toEqual({ seed, right: true, certain: true });
    }
  });

  test('one frame missing: right and named', () => {
    for (const seed of SEEDS) {
      const g = round(seed);
      const lost = random(seed + 7).whole(g.frames.length);
      const rest = { ...g, frames: g.frames.filter((_, i) => i !== lost) };
      const found = groupBrackets(rest.frames);
      expect(found.certain).toBe(false);
      expect({ seed, right: right(found, rest) }).toEqual({ seed, right: true });
    }
  });

  test('a frame shot twice, frames out of order in the folder, names that start again at 0001', () => {
    for (const seed of SEEDS) {
      const g = round(seed);
      const r = random(seed + 11);
      const twice = g.frames[r.whole(g.frames.length)];
      const shuffled = [...g.frames, { ...twice, name: 'again.jpg', takenAtMs: twice.takenAtMs! + 250 }]
        .map((f) => ({ f, k: r.next() }))
        .sort((a, b) => a.k - b.k)
        .map(({ f }, i) => ({ ...f, name: `x${(i * 7) % 23}_${f.name}` }));
      const found = groupBrackets(shuffled);
      expect(found.certain).toBe(false);
      expect(found.brackets.flatMap((b) => b.notes).join()).toMatch(
        /repeats an exposure|lacks the frame|other views do not have/,
      );
    }
  });

  test('no exposure in any file: the pictures sort them, exposures within a sixth of a stop, and it is never called certain', () => {
    let worst = 0;
    for (const seed of SEEDS) {
      const g = round(seed);
      const found = groupBrackets(g.frames.map((f) => ({ ...f, exposure: 0 })));
      expect(found.certain).toBe(false);
      expect(found.exposuresFrom).toBe('pictures');
      expect({ seed, right: right(found, g) }).toEqual({ seed, right: true });
      for (const b of found.brackets) {
        for (const f of b.frames)
          worst = Math.max(
            worst,
            Math.abs(Math.log2(f.exposure / b.frames[0].exposure) - (EV[f.rung] - EV[b.frames[0].rung])),
          );
      }
    }
    expect(worst).toBeLessThan(1 / 6);
  });

  test('a camera clock that jumps back in the middle is never taken for certain and wrong', () => {
    for (const seed of SEEDS) {
      const g = round(seed);
      const jump = 3 + random(seed + 3).whole(g.frames.length - 6);
      const lying = g.frames.map((f, i) => ({ ...f, takenAtMs: f.takenAtMs! - (i >= jump ? 47000 : 0) }));
      const found = groupBrackets(lying);
      expect({ seed, silentlyWrong: found.certain && !right(found, g) }).toEqual({ seed, silentlyWrong: false });
    }
  });

  test('tags that say another exposure than the picture are contradicted', () => {
    for (const seed of SEEDS) {
      const g = round(seed);
      const k = random(seed + 5).whole(g.frames.length);
      // The tags of two frames of a view were exchanged.
      const other = g.frames.findIndex((f, i) => i !== k && f.view === g.frames[k].view);
      const lying = g.frames.map((f, i) =>
        i === k
          ? { ...f, exposure: g.frames[other].exposure }
          : i === other
            ? { ...f, exposure: g.frames[k].exposure }
            : f,
      );
      expect({ seed, certain: groupBrackets(lying).certain }).toEqual({ seed, certain: false });
    }
  });
});

describe('a frame at a glance', () => {
  test('means of cells', () => {
    const level = Float32Array.from({ length: 64 * 32 }, (_, i) => (i % 64 < 32 ? 0.25 : 0.5));
    const found = lookOf(level, 64, 32);
    expect(found).toHaveLength(LOOK_SIDE * LOOK_SIDE);
    expect(found[0]).toBe(0.25);
    expect(found[LOOK_SIDE - 1]).toBe(0.5);
    expect(() => lookOf(level, 8, 8)).toThrow(/too small/);
    // A cell that is black in one half and cut off in the other has no level of its own, at whatever exposure.
    const halves = Float64Array.from({ length: 64 * 32 }, (_, i) => (i % 4 < 2 ? 0 : 1));
    expect(lookOf(halves, 64, 32)[0]).toBe(1);
    expect(compareLooks(lookOf(halves, 64, 32), lookOf(halves, 64, 32))).toBeNull();
  });
  test('the same picture at another exposure: the ratio; another picture: not the same; too little light: nothing', () => {
    const r = random(4);
    const light = scene(9);
    const c = compareLooks(look(light, 0.5, r), look(light, 0.125, r))!;
    expect(c.stops).toBeCloseTo(2, 1);
    expect(c.sameView).toBe(true);
    expect(compareLooks(look(light, 0.5, r), look(scene(10), 0.5, r))!.sameView).toBe(false);
    expect(compareLooks(look(light, 1e-4, r), look(light, 1e-4, r))).toBeNull();
  });
  test('cells in which the longer frame cut a small light off make the shorter one no other view and no brighter', () => {
    const cells = (exposure: number, hidden: boolean) =>
      Array.from({ length: LOOK_SIDE * LOOK_SIDE }, (_, i) => {
        const level = exposure * (0.2 + 0.6 * ((i * 0.618034) % 1));
        // Up to a stop and a half more in most of them.
        return level * (hidden && i % 5 > 1 ? 2 ** (1.5 * ((i * 0.414) % 1)) : 1);
      });
    const [longer, shorter] = [cells(1, false), cells(1 / 8, true)];
    for (const [a, b, stops] of [[shorter, longer, -3], [longer, shorter, 3]] as const) {
      const seen = compareLooks(a, b)!;
      expect(seen.sameView).toBe(true);
      expect(seen.stops).toBeCloseTo(stops, 1);
      expect(seen.spread).toBeGreaterThan(0.3);
      expect(withinCells(seen.spread, seen.cells)).toBeGreaterThan(0.05);
    } // prettier-ignore
  });
  test('frames of which nobody looked and that tell no exposure cannot be sorted, by name', () => {
    expect(() => groupBrackets([{ name: 'blind.dng', takenAtMs: 0, exposure: 0, width: 10, height: 10 }])).toThrow(
      /blind\.dng does not tell its exposure/,
    );
  });
});

describe('clock and file numbers', () => {
  const named = (names: string[]): FrameFacts[] =>
    names.map((name, i) => ({ name, takenAtMs: i * 500, exposure: 2 ** EV[i % 5], width: 64, height: 48 }));
  test('numbers that start again once are no sign', () => {
    expect(groupBrackets(named(['a_9998.jpg', 'a_9999.jpg', 'a_0001.jpg', 'a_0002.jpg', 'a_0003.jpg'])).certain).toBe(
      true,
    );
  });
  test('numbers that run back in between are told, with the frame', () => {
    const g = groupBrackets(named(['a_0001.jpg', 'a_0004.jpg', 'a_0002.jpg', 'a_0003.jpg', 'a_0005.jpg']));
    expect(g.certain).toBe(false);
    expect(g.brackets[0].notes.join()).toMatch(/clock and its file numbers disagree at a_0002\.jpg/);
  });
  test('names of several patterns tell nothing', () => {
    expect(groupBrackets(named(['a_0009.jpg', 'b_0004.jpg', 'a_0002.jpg', 'c_0003.jpg', 'a_0001.jpg'])).certain).toBe(
      true,
    );
  });
});

test('where every frame tells where it looked, directions make the views, across north and whatever the exposures', () => {
  const look = (headingDeg: number, tiltDeg: number, k: number): FrameFacts => ({
    name: `p_${String(k).padStart(2, '0')}.jpg`,
    takenAtMs: k * 900,
    exposure: 0,
    width: 64,
    height: 48,
    look: scene(1).map((v) => v * (1 + k / 9)),
    attitude: { headingDeg, tiltDeg },
  });
  const frames = [look(359, 0, 1), look(0.6, 0.4, 2), look(33, 1, 3), look(66, 0, 4), look(66, 45, 5)];
  expect(groupBrackets(frames).brackets.map((b) => b.frames.length)).toEqual([2, 1, 1, 1]);
  // One that is silent, and the pictures decide again.
  expect(groupBrackets([...frames.slice(0, 4), { ...frames[4], attitude: null }]).exposuresFrom).toBe('pictures');
});

describe('what a glance can be trusted with', () => {
  const side = 10 * LOOK_SIDE;
  const flat = (level: number, lights: number) =>
    lookOf(
      // So many pixels of every cell are cut off.
      Float64Array.from({ length: side * side }, (_, i) =>
        i % 10 < lights && Math.floor(i / side) % 10 === 0 ? 1 : level,
      ),
      side,
      side,
    );
  test('a cell says nothing once a hundredth of its light is cut off: what that hides may be much', () => {
    expect(flat(0.3, 0)[0]).toBeCloseTo(0.3, 4);
    expect(flat(0.3, 1)[0]).toBe(1);
  });
  test('small lights in a fifth of the cells do not make another view of it; another view does', () => {
    const r = random(3);
    const light = Array.from({ length: LOOK_SIDE * LOOK_SIDE }, () => 0.05 + 0.5 * r.next());
    const darker = light.map((v, i) => (i % 5 === 0 ? v : v / 4));
    expect(compareLooks(light, darker)).toMatchObject({ sameView: true });
    expect(compareLooks(light, darker)!.stops).toBeCloseTo(2, 2);
    const other = Array.from({ length: LOOK_SIDE * LOOK_SIDE }, () => (0.05 + 0.5 * r.next()) / 4);
    expect(compareLooks(light, other)).toMatchObject({ sameView: false });
  });
});
