import { fireEvent, screen } from '@testing-library/react-native';
import { LightLine, type LightBand, type LightMark } from '../../features/sky/LightLine';
import { show } from './themed';

const at = (time: string) => new Date(`2026-10-14T${time}:00Z`);
/** A day that climbs to 30 degrees at noon and falls again: 06:00 to 18:00 UTC by the hour. */
const curve = Array.from({ length: 13 }, (_, k) => ({ utc: at(`${String(6 + k).padStart(2, '0')}:00`), elevationDeg: 30 - 10 * Math.abs(k - 6) })); // prettier-ignore
/** 356 px of line between its margins: a minute is about half a pixel. */
const WIDTH = 400;
const LEFT = 34;
const LINE = WIDTH - 34 - 10;

function draw(more: { marks?: LightMark[]; bands?: LightBand[]; now?: Date | null; asked?: Date } = {}) {
  const onAsk = jest.fn();
  show(
    <LightLine
      curve={curve}
      zone="Europe/London"
      marks={more.marks ?? []}
      bands={more.bands}
      now={more.now ?? null}
      asked={more.asked ?? at('12:00')}
      onAsk={onAsk}
    />,
  );
  const line = screen.getByTestId('light-line');
  fireEvent(line, 'layout', { nativeEvent: { layout: { width: WIDTH, height: 190, x: 0, y: 0 } } });
  return { line, onAsk, asked: () => (onAsk.mock.lastCall![0] as Date).toISOString().slice(11, 16) };
}
const words = () =>
  screen.UNSAFE_root.findAll((n) => (n.type as string) === 'RNSVGTSpan').map((n) => String(n.props.content));
const drawn = (type: string) => screen.UNSAFE_root.findAll((n) => (n.type as string) === type);

describe('the light line', () => {
  test('a touch asks about the time under it, to five minutes, and never beyond the day', () => {
    const { line, onAsk, asked } = draw();
    const touch = (x: number) => fireEvent(line, 'responderMove', { nativeEvent: { locationX: x } });
    touch(LEFT + LINE / 2);
    expect(asked()).toBe('12:00');
    touch(LEFT + LINE / 4 + 1);
    expect(asked()).toBe('09:00');
    touch(LEFT + LINE / 4 + 3);
    expect(asked()).toBe('09:05');
    touch(-50);
    expect(asked()).toBe('06:00');
    touch(WIDTH + 50);
    expect(asked()).toBe('18:00');
    expect(onAsk).toHaveBeenCalledTimes(5);
  });
  test('arrow keys go by five minutes, page keys by an hour; other keys are the page’s', () => {
    const { line, onAsk, asked } = draw({ asked: at('14:00') });
    const press = (key: string) => {
      const preventDefault = jest.fn();
      fireEvent(line, 'keyDown', { key, preventDefault });
      return preventDefault;
    };
    expect(press('ArrowLeft')).toHaveBeenCalled();
    expect(asked()).toBe('13:55');
    press('PageDown');
    expect(asked()).toBe('13:00');
    press('PageUp');
    expect(asked()).toBe('15:00');
    onAsk.mockClear();
    expect(press('Tab')).not.toHaveBeenCalled();
    expect(onAsk).not.toHaveBeenCalled();
  });
  test('what is asked is told in words: the local time and how high the sun stands, between the hours too', () => {
    const { line } = draw({ asked: at('14:30') });
    expect(line.props['aria-valuetext'] ?? line.props.accessibilityValue?.text).toBe('15:30 BST, sun at 5.0 degrees');
  });
  test('hours are those of the place; now is marked only on its day', () => {
    draw();
    expect(words()).toEqual(expect.arrayContaining(['09:00', '12:00', '15:00', '18:00', '0°']));
    expect(words()).not.toContain('now');
    screen.unmount();
    draw({ now: at('13:00') });
    expect(words()).toContain('now');
    screen.unmount();
    draw({ now: new Date('2026-10-15T13:00:00Z') });
    expect(words()).not.toContain('now');
  });
  test('takes are ticks and rounds are pins on the curve; what lies on another day is left out', () => {
    const bare = (draw(), drawn('RNSVGCircle').length);
    screen.unmount();
    draw({
      marks: [
        { at: at('10:00'), kind: 'take' },
        { at: at('11:00'), kind: 'round' },
        { at: at('12:00'), kind: 'round' },
        { at: new Date('2026-10-15T11:00:00Z'), kind: 'round' },
      ],
    });
    expect(drawn('RNSVGCircle').length - bare).toBe(2);
  });
  test('a light condition is named over the time it held; one without an end goes on, one that never was is not drawn', () => {
    draw({
      bands: [
        { name: 'sun out', from: at('09:00'), to: at('12:00') },
        { name: 'cloud over', from: at('12:00'), to: null },
        { name: 'never', from: at('19:00'), to: at('20:00') },
      ],
    });
    expect(words()).toEqual(expect.arrayContaining(['sun out', 'cloud over']));
    expect(words()).not.toContain('never');
  });
});
