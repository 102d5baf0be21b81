import { act, renderHook } from '@testing-library/react-native';
import type { PointerEvent, WheelEvent } from 'react';
import { cornersOnScreen, type StripView } from '../panorama/stripView';
import { useStripPointers } from '../panorama/useStripPointers';
import type { FourCorners } from '../corners';
import { ValueStore } from '../valueStore';

const [WIDTH, HEIGHT] = [360, 180];
const START: StripView = { azimuthDeg: 180, elevationDeg: 0, spanDeg: 90 };
const MARK: FourCorners = [
  [170, 5],
  [190, 5],
  [190, -5],
  [170, -5],
];

/** The part of the browser that a pointer meets. */
class FakeElement {
  captured: number[] = [];
  getBoundingClientRect = () => ({ left: 100, top: 50 });
  setPointerCapture = (id: number) => this.captured.push(id);
}
class FakeField {
  blurred = 0;
  blur = () => this.blurred++;
}
const active = { element: null as FakeField | null };
beforeAll(() => {
  Object.assign(globalThis, {
    HTMLElement: FakeField,
    document: {
      get activeElement() {
        return active.element;
      },
    },
  });
});

function strip({ marking = false, mark = null as FourCorners | null, yawDeg = 0, view: start = START } = {}) {
  const view = new ValueStore<StripView>(start);
  const element = new FakeElement();
  const [onMark, onTap, prevented] = [jest.fn(), jest.fn(), jest.fn()];
  const input = { view, width: WIDTH, height: HEIGHT, marking, yawDeg, mark, onMark, onTap };
  const { result } = renderHook(() => useStripPointers(input));
  const event = (x: number, y: number, pointerId = 1) =>
    ({ pointerId, clientX: 100 + x, clientY: 50 + y, currentTarget: element, preventDefault: prevented }) as unknown as PointerEvent; // prettier-ignore
  const hand = {
    down: (x: number, y: number, id?: number) => act(() => result.current.handlers.onPointerDown(event(x, y, id))),
    move: (x: number, y: number, id?: number) => act(() => result.current.handlers.onPointerMove(event(x, y, id))),
    up: (x: number, y: number, id?: number) => act(() => result.current.handlers.onPointerUp(event(x, y, id))),
    cancel: () => act(() => result.current.handlers.onPointerCancel(event(0, 0))),
    wheel: (deltaY: number) => act(() => result.current.handlers.onWheel({ deltaY } as WheelEvent)),
  };
  return { view, element, onMark, onTap, prevented, hand, result };
}

describe('a hand on the strip', () => {
  test('a drag turns the view by what it shows of it, against the hand, and taps nothing', () => {
    const { view, hand, onTap } = strip();
    hand.down(180, 90);
    hand.move(220, 70);
    hand.up(220, 70);
    // 90 degrees over 360 px: 40 px are 10 degrees.
    expect(view.get().azimuthDeg).toBeCloseTo(170, 9);
    expect(view.get().elevationDeg).toBeCloseTo(-5, 9);
    expect(onTap).not.toHaveBeenCalled();
  });
  test('a finger that trembles taps where it came down', () => {
    const { view, hand, onTap } = strip();
    hand.down(50, 60);
    hand.move(52, 61);
    hand.up(52, 61);
    expect(onTap).toHaveBeenCalledWith(50, 60);
    expect(Math.abs(view.get().azimuthDeg - 180)).toBeLessThan(1);
  });
  test('two fingers that part come closer, a wheel too; neither goes beyond what there is', () => {
    const { view, hand } = strip();
    hand.down(100, 90, 1);
    hand.down(200, 90, 2);
    hand.move(300, 90, 2);
    expect(view.get().spanDeg).toBeCloseTo(45, 6);
    for (let k = 0; k < 40; k++) hand.wheel(-1);
    expect(view.get().spanDeg).toBe(12);
    for (let k = 0; k < 80; k++) hand.wheel(1);
    expect(view.get().spanDeg).toBe(360);
  });
  test('it holds the pointer, asks for no mouse events beside it, and leaves the field that was typed in', () => {
    active.element = new FakeField();
    const { element, prevented, hand } = strip();
    hand.down(10, 10, 7);
    expect(element.captured).toEqual([7]);
    expect(prevented).toHaveBeenCalledTimes(1);
    expect(active.element.blurred).toBe(1);
    active.element = null;
  });
  test('a move without a finger on the glass, and a hand that was taken away, change nothing', () => {
    const { view, hand, onTap } = strip();
    hand.move(300, 90);
    hand.down(100, 90);
    hand.cancel();
    hand.move(300, 90);
    hand.up(300, 90);
    expect(view.get()).toEqual(START);
    expect(onTap).not.toHaveBeenCalled();
  });
});

describe('marking in the strip', () => {
  test('a drag lays a box in the frame of the panorama itself, and turns nothing', () => {
    const { view, hand, onMark, result } = strip({ marking: true, yawDeg: 30 });
    hand.down(140, 70);
    hand.move(220, 110);
    expect(result.current.marked!.at).toEqual([220, 110]);
    hand.up(220, 110);
    expect(view.get()).toEqual(START);
    const [corners] = onMark.mock.lastCall as [FourCorners];
    const azimuths = corners.map(([azimuth]) => azimuth);
    // Azimuths 170 and 190 as shown, 30 less in the panorama's own frame; elevations 5 and -5.
    expect(Math.min(...azimuths)).toBeCloseTo(140, 6);
    expect(Math.max(...azimuths)).toBeCloseTo(160, 6);
    expect(Math.max(...corners.map(([, elevation]) => elevation))).toBeCloseTo(5, 6);
    expect(result.current.marked).toBeNull();
  });
  test('a corner that is taken hold of moves alone', () => {
    const { hand, onMark } = strip({ marking: true, mark: MARK });
    const [[x, y]] = cornersOnScreen(START, MARK, 0, WIDTH, HEIGHT);
    hand.down(x, y);
    hand.move(x - 20, y - 8);
    hand.up(x - 20, y - 8);
    const [corners] = onMark.mock.lastCall as [FourCorners];
    expect(corners[0][0]).toBeCloseTo(165, 6);
    expect(corners[0][1]).toBeCloseTo(7, 6);
    corners.slice(1).forEach((c, k) => c.forEach((v, i) => expect(v).toBeCloseTo(MARK[k + 1][i], 6)));
  });
  test('a tap while marking marks nothing', () => {
    const { hand, onMark, onTap } = strip({ marking: true });
    hand.down(140, 70);
    hand.up(140, 70);
    expect(onMark).not.toHaveBeenCalled();
    expect(onTap).toHaveBeenCalledWith(140, 70);
  });
  test('marked corners stand where the view puts them, turned with it', () => {
    const corners = cornersOnScreen({ ...START, azimuthDeg: 190 }, MARK, 10, WIDTH, HEIGHT);
    expect(corners[0][0]).toBeCloseTo(140, 6);
    expect(corners[1][0]).toBeCloseTo(220, 6);
    expect(corners[0][1]).toBeCloseTo(70, 6);
  });
});
