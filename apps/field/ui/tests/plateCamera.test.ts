import {
  drawnOf,
  NOTHING_DRAWN,
  strokeAt,
  strokeCount,
  withFamily,
  withoutStroke,
  withStroke,
} from '../../features/plateCamera/plateStrokes';
import { surveyedFrom } from '../../features/sight/surveyedFrom';
import { durationWords, sentence } from '../words';
import type { PlanMark, Station } from '@tawny/contract';

describe('strokes that are drawn', () => {
  const one = withStroke(NOTHING_DRAWN, 1, [10, 20, 110, 40]);
  const two = withStroke(one, 1, [10, 60, 110, 80]);

  test('belong to their family and leave what was before as it was', () => {
    expect(two.families.map((f) => f.strokes.length)).toEqual([0, 2, 0]);
    expect(strokeCount(two)).toBe(2);
    expect(strokeCount(one)).toBe(1);
    expect(strokeCount(NOTHING_DRAWN)).toBe(0);
    expect(withoutStroke(two, 1, 0).families[1].strokes).toEqual([[10, 60, 110, 80]]);
  });

  test('are found at their middles, the nearer one, within reach', () => {
    expect(strokeAt(two, 62, 44, 30)).toMatchObject({ family: 1, stroke: 0 });
    expect(strokeAt(two, 58, 66, 30)).toMatchObject({ family: 1, stroke: 1 });
    expect(strokeAt(two, 60, 30, 5)).toMatchObject({ family: 1, stroke: 0 });
    expect(strokeAt(two, 300, 300, 30)).toBeNull();
  });

  test('that were stored come back as three families, each with its own mark', () => {
    const stored = { families: [{ kind: 'vertical' as const, azimuthDeg: null, strokes: [] }], knownLength: null };
    expect(drawnOf(stored).families).toHaveLength(3);
    const surveyed = withFamily(NOTHING_DRAWN, 2, { azimuthDeg: 75 });
    expect(drawnOf(surveyed).families[2].azimuthDeg).toBe(75);
    expect(drawnOf(surveyed).families[1].azimuthDeg).toBeNull();
  });
});

test('surveyed things lie where the measures put them, from the pupil, in the axes of the world', () => {
  const mark = (name: string, eastM: number, northM: number) => ({ id: name, name, eastM, northM }) as PlanMark;
  const station = { id: 's', name: 'Station 1', eastM: 1, northM: 2, heightM: 1.6 } as Station;
  const things = surveyedFrom(
    { eastM: 1, northM: -3, heightM: 1.5 },
    [{ id: 'mast', eastM: 4, northM: 9, ellipse: null }],
    [mark('mast', 0, 0), mark('post', 2, 7), mark('Station 1', 1, 2)],
    [station, { ...station, name: 'Station 2', heightM: 1.2 }],
  );
  // East, up, south: the mast is 3 m to the east and 12 m to the north, its foot 1.5 m below the lens.
  expect(things[0]).toEqual({ name: 'mast', foot: [3, -1.5, -12], top: [3, -0.5, -12] });
  // What nothing ties stays where it was drawn; a station that is a mark is shown once.
  expect(things[1].foot).toEqual([1, -1.5, -10]);
  expect(things.map((t) => t.name)).toEqual(['mast', 'post', 'Station 1', 'Station 2']);
  expect(things[3].top[1]).toBeCloseTo(1.2 - 1.5, 12);
});

test('reasons become sentences', () => {
  expect(sentence('the lens sends no ray there')).toBe('The lens sends no ray there.');
});

test.each([
  [8.4, '8 s'],
  [75, '1 min 15 s'],
  [119.7, '2 min 0 s'],
])('%s seconds are said as %s', (seconds, words) => expect(durationWords(seconds)).toBe(words));
