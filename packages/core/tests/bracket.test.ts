import fc from 'fast-check';
import { describeGroups, groupBrackets, type FrameFacts } from '../src';

const EV = [0, -2, -4, -6, -8, -10, -12];

function frames(views: number, drop: (view: number, k: number) => boolean = () => false): FrameFacts[] {
  const out: FrameFacts[] = [];
  for (let v = 0; v < views; v++) {
    EV.forEach((ev, k) => {
      if (!drop(v, k))
        out.push({
          name: `f_${String(v * 7 + k).padStart(4, '0')}.jpg`,
          takenAtMs: v * 30000 + k * 400,
          exposure: 2 ** ev,
          width: 100,
          height: 60,
        });
    });
  }
  return out;
}

describe('bracket grouping', () => {
  test('a complete round is certain', () => {
    const g = groupBrackets(frames(6));
    expect(g.brackets).toHaveLength(6);
    expect(g.ladder).toHaveLength(7);
    expect(g.certain).toBe(true);
  });

  test('the order of the files does not matter', () => {
    const sorted = groupBrackets(frames(5)).brackets.map((b) => b.frames.map((f) => f.name));
    fc.assert(
      fc.property(fc.shuffledSubarray(frames(5), { minLength: 35, maxLength: 35 }), (shuffled) => {
        expect(groupBrackets(shuffled).brackets.map((b) => b.frames.map((f) => f.name))).toEqual(sorted);
      }),
      { numRuns: 30 },
    );
  });

  test('any one missing frame is named, and no frame changes its view', () => {
    for (let v = 0; v < 6; v++) {
      for (let k = 0; k < 7; k++) {
        const g = groupBrackets(frames(6, (a, b) => a === v && b === k));
        expect(g.brackets).toHaveLength(6);
        expect(g.certain).toBe(false);
        expect(g.brackets[v].notes.join()).toMatch(/lacks the frame/);
        expect(g.brackets.filter((b) => b.notes.length === 0)).toHaveLength(5);
      }
    }
  });

  test('without times the names decide, numbers as numbers', () => {
    const unnamed = frames(2).map((f, i) => ({ ...f, takenAtMs: null, name: `shot${i + 1}.jpg` }));
    const g = groupBrackets(unnamed);
    expect(g.brackets[1].frames.map((f) => f.name)).toContain('shot10.jpg');
    expect(g.brackets[0].frames.map((f) => f.name)).not.toContain('shot10.jpg');
  });

  test('a single exposure is one view with one frame', () => {
    const g = groupBrackets([frames(1)[3]]);
    expect(g.brackets).toHaveLength(1);
    expect(g.ladder).toHaveLength(1);
  });

  test('mixed sizes are refused and the odd one named', () => {
    const mixed = frames(1);
    mixed[4] = { ...mixed[4], width: 99 };
    expect(() => groupBrackets(mixed)).toThrow(/f_0004.jpg is 99 x 60/);
    expect(() => groupBrackets([])).toThrow(/no frames/);
  });
});

test('groups made by hand are described as any others are: a repeated exposure and a missing one are named', () => {
  const f = (name: string, exposure: number) => ({ name, exposure, takenAtMs: null, width: 10, height: 10 });
  const g = describeGroups([
    [f('a', 1), f('b', 4), f('c', 16)],
    [f('d', 1), f('e', 4), f('f', 4)],
  ]);
  expect(g.brackets[0].frames.map((x) => x.name)).toEqual(['c', 'b', 'a']);
  expect(g.brackets[1].notes.join()).toMatch(/f repeats an exposure.*lacks the frame/);
  expect(g.certain).toBe(false);
  expect(() => describeGroups([])).toThrow(/no frames/);
});
