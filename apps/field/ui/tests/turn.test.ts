import { act, renderHook } from '@testing-library/react-native';
import { TurnStore, useCanUndo, useSettledAngle, useSettledTurn, useTurn } from '../../features/sight/useTurn';

const START = { yawDeg: 10, tiltDeg: 0, rollDeg: 0 };
const listeners = new Map<string, (e: unknown) => void>();
beforeAll(() => {
  class Field {}
  Object.assign(globalThis, {
    HTMLInputElement: Field,
    HTMLTextAreaElement: Field,
    window: Object.assign(globalThis.window ?? {}, {
      addEventListener: (name: string, f: (e: unknown) => void) => listeners.set(name, f),
      removeEventListener: (name: string) => listeners.delete(name),
    }),
  });
});
beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

const press = (key: string, more: object = {}) => {
  const preventDefault = jest.fn();
  act(() => listeners.get('keydown')!({ key, target: null, preventDefault, ...more }));
  return preventDefault;
};

describe('a turn by keys', () => {
  test('arrows turn and lean by a tenth of a degree, with shift by one; page keys roll', () => {
    const { result, unmount } = renderHook(() => useTurn(START));
    press('ArrowRight');
    press('ArrowRight', { shiftKey: true });
    press('ArrowDown');
    press('PageUp');
    const { yawDeg, tiltDeg, rollDeg } = result.current.get();
    expect(yawDeg).toBeCloseTo(11.1, 9);
    expect(tiltDeg).toBeCloseTo(-0.1, 9);
    expect(rollDeg).toBeCloseTo(0.1, 9);
    expect(press('ArrowLeft')).toHaveBeenCalled();
    expect(press('a')).not.toHaveBeenCalled();
    unmount();
    expect(listeners.has('keydown')).toBe(false);
  });
  test('keys that are typed into a field turn nothing', () => {
    const { result } = renderHook(() => useTurn(START));
    press('ArrowRight', { target: new (globalThis as unknown as { HTMLInputElement: new () => object }).HTMLInputElement() }); // prettier-ignore
    expect(result.current.get()).toEqual(START);
  });
  test('a row of taps is one step back', () => {
    const { result } = renderHook(() => useTurn(START));
    for (let k = 0; k < 5; k++) press('ArrowRight');
    press('z', { ctrlKey: true });
    expect(result.current.get()).toEqual(START);
    press('z', { metaKey: true });
    expect(result.current.get()).toEqual(START);
  });
});

describe('who follows a turn', () => {
  test('one who waits for rest hears the last of a drag once, when the hand rests', () => {
    const store = new TurnStore(START);
    const heard: number[] = [];
    renderHook(() => heard.push(useSettledTurn(store).yawDeg));
    act(() => {
      for (let k = 1; k <= 20; k++) store.change((t) => ({ ...t, yawDeg: 10 + k }));
    });
    expect(heard).toEqual([10]);
    act(() => jest.advanceTimersByTime(300));
    expect(heard).toEqual([10, 30]);
  });
  test('a field shows at once what is set in it, and a drag when the hand rests', () => {
    const store = new TurnStore(START);
    const { result } = renderHook(() => useSettledAngle(store, 'yawDeg'));
    act(() => result.current[1](42));
    expect(result.current[0]).toBe(42);
    expect(store.get()).toEqual({ ...START, yawDeg: 42 });
    act(() => store.change((t) => ({ ...t, yawDeg: 50 })));
    expect(result.current[0]).toBe(42);
    act(() => jest.advanceTimersByTime(300));
    expect(result.current[0]).toBe(50);
  });
  test('there is something to take back only after a change', () => {
    const store = new TurnStore(START);
    const { result } = renderHook(() => useCanUndo(store));
    expect(result.current).toBe(false);
    act(() => store.change((t) => ({ ...t, rollDeg: 1 })));
    expect(result.current).toBe(true);
    act(() => store.undo());
    expect(result.current).toBe(false);
    expect(store.get()).toEqual(START);
  });
});
