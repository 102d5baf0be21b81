import { beginDrag, boxCorners, cornerUnder, draggedTo, REACH_PX, type FourCorners } from '../corners';
import { insideX } from '../PictureLabel';

const BOX: FourCorners = [[100, 50], [200, 50], [200, 120], [100, 120]]; // prettier-ignore

test('a drag beside every corner lays a new box, whichever way it is drawn; a short one marks nothing', () => {
  for (const [from, to] of [[[10, 20], [60, 90]], [[60, 90], [10, 20]], [[10, 90], [60, 20]]] as const) {
    const drag = beginDrag(null, from);
    expect(drag.corner).toBeNull();
    expect(draggedTo(drag, to)).toEqual([[10, 20], [60, 20], [60, 90], [10, 90]]);
  }
  expect(draggedTo(beginDrag(BOX, [300, 300]), [302, 340])).toBeNull();
  expect(draggedTo(beginDrag(BOX, [300, 300]), [340, 340])).toEqual(boxCorners([300, 300], [340, 340]));
}); // prettier-ignore

test('a drag at a corner moves that one alone, the nearest in a finger’s reach', () => {
  expect(cornerUnder(BOX, [195, 60])).toBe(1);
  expect(cornerUnder(BOX, [150, 85])).toBe(-1);
  expect(cornerUnder(BOX, [100, 120 + REACH_PX])).toBe(3);
  const drag = beginDrag(BOX, [104, 47]);
  expect(drag.corner).toBe(0);
  expect(draggedTo(drag, [90, 40])).toEqual([[90, 40], ...BOX.slice(1)]);
  // Wherever it goes: a card in perspective is no box.
  expect(draggedTo(drag, [101, 48])![0]).toEqual([101, 48]);
});

test('the name of a corner is kept whole in its picture; that of a corner outside of it is not drawn in', () => {
  const half = (9 * 0.6 * 13) / 2 + 3;
  expect(insideX(150, 'dark skin', 300)).toBe(150);
  expect(insideX(4, 'dark skin', 300)).toBeCloseTo(half, 9);
  expect(insideX(298, 'dark skin', 300)).toBeCloseTo(300 - half, 9);
  expect(insideX(-20, 'dark skin', 300)).toBe(-20);
  expect(insideX(320, 'dark skin', 300)).toBe(320);
  expect(insideX(10, 'a name that is too long for the picture', 100)).toBe(50);
});
