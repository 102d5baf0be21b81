import { act, renderHook } from '@testing-library/react-native';
import type { Panorama } from '@tawny/contract';
import { useStripDetail } from '../panorama/useStripDetail';
import type { StripView } from '../panorama/stripView';
import { ValueStore } from '../valueStore';

jest.mock('../../data/api', () => ({
  fileAddress: (_name: string, { column, row }: { column: number; row: number }) => `/tile/${column}/${row}`,
}));
jest.mock('../panorama/floatPicture', () => ({ parseFloatPicture: (bytes: unknown) => bytes }));

const CLOSE: StripView = { azimuthDeg: 100, elevationDeg: 0, spanDeg: 30 };
const panorama = { id: 'p', widthPx: 8192, heightPx: 4096 } as Panorama;
const asked: { address: string; signal: AbortSignal }[] = [];
let answer: (address: string) => Promise<unknown>;

function strip(start: StripView, more: Partial<Parameters<typeof useStripDetail>[0]> = {}) {
  const view = new ValueStore(start);
  const renderer = { hasTile: jest.fn((_tile: unknown) => false), loadTile: jest.fn() };
  const onLoaded = jest.fn();
  const input = { renderer: { current: renderer }, code: 'HERN', panorama, view, yawDeg: 0, width: 390, height: 240, ratio: 2, ready: true, onLoaded, ...more } as unknown as Parameters<typeof useStripDetail>[0]; // prettier-ignore
  const { unmount } = renderHook(() => useStripDetail(input));
  return { view, renderer, onLoaded, unmount };
}
/** What is fetched once the hand rests. */
const rest = async () => {
  await act(async () => {
    jest.advanceTimersByTime(300);
  });
};

beforeEach(() => {
  jest.useFakeTimers();
  asked.length = 0;
  answer = async () => ({ ok: true, arrayBuffer: async () => 'pixels' });
  Object.assign(globalThis, {
    fetch: (address: string, { signal }: { signal: AbortSignal }) => {
      asked.push({ address, signal });
      return answer(address);
    },
  });
});
afterEach(() => jest.useRealTimers());

describe('detail of the panorama where the overview is soft', () => {
  test('is fetched for what is seen, once the hand rests, and drawn as it comes', async () => {
    const { renderer, onLoaded } = strip(CLOSE);
    expect(asked).toEqual([]);
    await rest();
    expect(asked.length).toBeGreaterThan(0);
    expect(asked.length).toBeLessThanOrEqual(12);
    expect(new Set(asked.map((a) => a.address)).size).toBe(asked.length);
    expect(renderer.loadTile).toHaveBeenCalledTimes(asked.length);
    expect(onLoaded).toHaveBeenCalledTimes(asked.length);
  });
  test('a drag that goes on fetches nothing on its way; where it ends does', async () => {
    const { view } = strip(CLOSE);
    for (let k = 1; k <= 10; k++) {
      act(() => view.change((v) => ({ ...v, azimuthDeg: 100 + 10 * k })));
      act(() => jest.advanceTimersByTime(100));
    }
    expect(asked).toEqual([]);
    await rest();
    const there = asked.map((a) => a.address);
    asked.length = 0;
    strip({ ...CLOSE, azimuthDeg: 200 });
    await rest();
    expect(asked.map((a) => a.address)).toEqual(there);
  });
  test('what is there is not fetched again, and what was asked for a view that moved on is broken off', async () => {
    const { view, renderer, unmount } = strip(CLOSE);
    await rest();
    const [first] = asked;
    expect(first.signal.aborted).toBe(false);
    act(() => view.change((v) => ({ ...v, azimuthDeg: v.azimuthDeg + 1 })));
    expect(first.signal.aborted).toBe(true);
    asked.length = 0;
    renderer.hasTile.mockReturnValue(true);
    await rest();
    expect(asked).toEqual([]);
    unmount();
    act(() => view.change((v) => ({ ...v, azimuthDeg: 0 })));
    await rest();
    expect(asked).toEqual([]);
  });
  test.each([
    ['a wide view', { ...CLOSE, spanDeg: 360 }, { ratio: 1 }],
    ['a small panorama', CLOSE, { panorama: { ...panorama, widthPx: 2048, heightPx: 1024 } }],
    ['a strip that is not laid out', CLOSE, { width: 0 }],
    ['a picture that has not come', CLOSE, { ready: false }],
  ])('%s needs none', async (_what, view, more) => {
    strip(view, more as Partial<Parameters<typeof useStripDetail>[0]>);
    await rest();
    expect(asked).toEqual([]);
  });
  test('a tile that cannot be read leaves the overview, and is told to whoever looks for it', async () => {
    const warned = jest.spyOn(console, 'warn').mockImplementation(() => undefined);
    answer = async () => ({ ok: false, status: 404 });
    const { renderer } = strip(CLOSE);
    await rest();
    expect(renderer.loadTile).not.toHaveBeenCalled();
    expect(warned.mock.calls[0][0]).toContain('the server answered 404');
    warned.mockClear();
    answer = async () => {
      throw Object.assign(new Error('moved on'), { name: 'AbortError' });
    };
    strip(CLOSE);
    await rest();
    expect(warned).not.toHaveBeenCalled();
    warned.mockRestore();
  });
});
