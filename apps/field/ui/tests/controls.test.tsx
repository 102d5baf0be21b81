import { fireEvent, render, screen, within } from '@testing-library/react-native';
import { useState, type ReactElement } from 'react';
import type { Panorama } from '@tawny/contract';
import { CheckSheet } from '../../features/round/CheckSheet';
import { Choice } from '../Choice';
import { RecordForm, type FieldSpec } from '../RecordForm';
import { OptionalStepper, Stepper } from '../Stepper';
import { ThemeProvider } from '../theme';

// The interface runs in a browser; of it the theme alone is asked for here.
beforeAll(() => {
  const style = {};
  Object.assign(globalThis, {
    localStorage: { getItem: () => 'daylight', setItem: () => undefined },
    document: { documentElement: { style }, body: { style } },
  });
});

const show = (element: ReactElement) => render(<ThemeProvider>{element}</ThemeProvider>);

/** A stepper that keeps what it is told, as a screen does. */
function Held({
  start,
  heard,
  ...rest
}: {
  start: number;
  heard: (v: number) => void;
  scale?: readonly number[];
  step?: number;
  digits?: number;
  was?: number;
  fault?: string;
  source?: string;
}) {
  const [value, setValue] = useState(start);
  return (
    <Stepper
      label="Stop"
      unit="T"
      value={value}
      onChange={(v) => {
        setValue(v);
        heard(v);
      }}
      {...rest}
    />
  );
}

describe('a stepper', () => {
  const field = () => screen.getByLabelText('Stop in T');
  const type = (text: string) => {
    fireEvent.changeText(field(), text);
    fireEvent(field(), 'submitEditing');
  };

  test("goes up and down the trade's own increments, and stays at their ends", () => {
    const heard = jest.fn();
    show(<Held start={2.8} heard={heard} scale={[2, 2.8, 4]} />);
    fireEvent.press(screen.getByLabelText('Stop up'));
    fireEvent.press(screen.getByLabelText('Stop up'));
    fireEvent.press(screen.getByLabelText('Stop down'));
    expect(heard.mock.calls.map(([v]) => v)).toEqual([4, 4, 2.8]);
  });
  test('a value between two increments goes to the next one on either side', () => {
    const heard = jest.fn();
    show(<Held start={3.1} heard={heard} scale={[2, 2.8, 4]} />);
    fireEvent.press(screen.getByLabelText('Stop down'));
    expect(heard).toHaveBeenLastCalledWith(2.8);
  });
  test('plain steps do not pile up rounding', () => {
    const heard = jest.fn();
    show(<Held start={0} heard={heard} step={0.1} />);
    for (let k = 0; k < 7; k++) fireEvent.press(screen.getByLabelText('Stop up'));
    expect(heard).toHaveBeenLastCalledWith(0.7);
  });
  test.each([
    ['5.6', 5.6],
    ['5,6', 5.6],
    [' 8 ', 8],
    ['-1.5', -1.5],
  ])('%j typed is %d', (text, value) => {
    const heard = jest.fn();
    show(<Held start={4} heard={heard} />);
    type(text);
    expect(heard).toHaveBeenLastCalledWith(value);
    expect(field().props.value).toBe(String(value));
  });
  test.each(['', '   ', 'five', '5.6.1', '1e999'])('%j typed leaves the value as it was', (text) => {
    const heard = jest.fn();
    show(<Held start={4} heard={heard} />);
    type(text);
    expect(heard).not.toHaveBeenCalled();
    expect(field().props.value).toBe('4');
  });
  test('says what it was, what is wrong with it and where it came from', () => {
    show(<Held start={8} heard={jest.fn()} was={5.6} fault="opens to T1.8" source="still.dng" />);
    expect(screen.getByText('was 5.6')).toBeTruthy();
    expect(screen.getByText('opens to T1.8')).toBeTruthy();
    expect(screen.getByText('from still.dng')).toBeTruthy();
  });
  test('what has not changed is not said to have been', () => {
    show(<Held start={5.6} heard={jest.fn()} was={5.6} />);
    expect(screen.queryByText(/^was /)).toBeNull();
  });
  test('a long press opens large digits; they set, take back and change the sign', () => {
    const heard = jest.fn();
    show(<Held start={4} heard={heard} />);
    fireEvent(screen.getByLabelText('Stop up'), 'longPress');
    const pad = within(screen.getByLabelText('Keypad for Stop'));
    for (const key of ['1', '1', 'Point', 'Point', '2', '9', 'Delete digit', 'Sign'])
      fireEvent.press(pad.getByLabelText(key));
    fireEvent.press(pad.getByLabelText('Set'));
    expect(heard).toHaveBeenLastCalledWith(-11.2);
    expect(screen.queryByLabelText('Keypad for Stop')).toBeNull();
  });
  test('the keypad without a digit sets nothing', () => {
    const heard = jest.fn();
    show(<Held start={4} heard={heard} />);
    fireEvent(screen.getByLabelText('Stop down'), 'longPress');
    fireEvent.press(screen.getByLabelText('Set'));
    expect(heard).not.toHaveBeenCalled();
  });
});

describe('a value that may not have been measured', () => {
  test('says so, begins where it usually is, and can be taken back', () => {
    const heard = jest.fn();
    const { rerender } = show(<OptionalStepper label="Height" unit="m" value={null} start={1.6} onChange={heard} />);
    expect(screen.getByText('not measured')).toBeTruthy();
    fireEvent.press(screen.getByLabelText('Measure Height'));
    expect(heard).toHaveBeenLastCalledWith(1.6);
    rerender(
      <ThemeProvider>
        <OptionalStepper label="Height" unit="m" value={1.6} start={1.6} onChange={heard} />
      </ThemeProvider>,
    );
    fireEvent.press(screen.getByLabelText('Height not measured'));
    expect(heard).toHaveBeenLastCalledWith(null);
  });
});

describe('a choice', () => {
  const options = [
    { value: 'a', title: 'Sun out' },
    { value: 'b', title: 'Cloud' },
  ];
  test('says which one holds and hands over the one that is tapped', () => {
    const heard = jest.fn();
    show(<Choice label="Light" options={options} value="a" onChange={heard} />);
    expect(
      screen.getByLabelText('Sun out').props['aria-checked'] ??
        screen.getByLabelText('Sun out').props.accessibilityState.checked,
    ).toBe(true);
    fireEvent.press(screen.getByLabelText('Cloud'));
    expect(heard).toHaveBeenCalledWith('b');
  });
});

describe('a form of a record', () => {
  interface Lamp {
    name: string;
    dimmer: number;
    heightM: number | null;
    onIn: string[];
    role: string | null;
  }
  const fields: FieldSpec<Lamp>[] = [
    { kind: 'text', name: 'name', label: 'Name' },
    { kind: 'number', name: 'dimmer', label: 'Dimmer', unit: '%', step: 5, digits: 0 },
    { kind: 'number', name: 'heightM', label: 'Height', unit: 'm', step: 0.1, start: 2 },
    {
      kind: 'many',
      name: 'onIn',
      label: 'Burns in',
      options: [
        { value: 'dusk', title: 'Dusk' },
        { value: 'night', title: 'Night' },
      ],
    },
    { kind: 'choice', name: 'role', label: 'Role', options: [{ value: 'key', title: 'Key' }], optional: true },
  ];
  const lamp: Lamp = { name: 'Key', dimmer: 50, heightM: null, onIn: ['dusk'], role: 'key' };
  test('every field changes its own part alone', () => {
    const heard = jest.fn();
    show(<RecordForm fields={fields} value={lamp} onChange={heard} fault={() => undefined} />);
    fireEvent.changeText(screen.getByLabelText('Name'), 'Fill');
    fireEvent.press(screen.getByLabelText('Dimmer up'));
    fireEvent.press(screen.getByLabelText('Measure Height'));
    fireEvent.press(screen.getByLabelText('Night'));
    fireEvent.press(screen.getByLabelText('Dusk'));
    fireEvent.press(screen.getByLabelText('None'));
    expect(heard.mock.calls.map(([part]) => part)).toEqual([
      { name: 'Fill' },
      { dimmer: 55 },
      { heightM: 2 },
      { onIn: ['dusk', 'night'] },
      { onIn: [] },
      { role: null },
    ]);
  });
  test('a fault stands at its own field', () => {
    show(
      <RecordForm
        fields={fields}
        value={{ ...lamp, dimmer: 140 }}
        onChange={jest.fn()}
        fault={(name) => (name === 'dimmer' ? 'At most 100 %' : undefined)}
      />,
    );
    expect(screen.getAllByText('At most 100 %')).toHaveLength(1);
  });
});

describe('the check sheet', () => {
  const check = (
    name: string,
    verdict: Panorama['checks'][number]['verdict'],
    value: number | null,
    words: string,
    unit = 'stop',
  ) => ({ name, verdict, value, words, unit });
  const panorama = (checks: Panorama['checks'], more: Partial<Panorama> = {}): Panorama => ({
    id: 'x',
    version: 1,
    createdAt: '',
    updatedAt: '',
    roundId: 'r',
    number: 3,
    space: 'rec709',
    log: [],
    basis: { facts: [], changed: [] },
    widthPx: 4096,
    heightPx: 2048,
    exrHash: '',
    measureHash: null,
    dynamicRangeStops: 20,
    clippedSr: 0,
    uncoveredSr: 0,
    seamStops: 0.02,
    illuminanceHorizontal: 1,
    meanLuminance: 1,
    framesPerView: 7,
    histogram: { firstStop: -2, binsPerStop: 1, sr: [1, 4, 5, 2.5] },
    sun: null,
    sunFrameId: null,
    warnings: [],
    checks,
    options: {},
    moved: [],
    levelDeg: null,
    viewsCompass: null,
    learned: null,
    buildSeconds: 41.4,
    ...more,
  });
  test('what is lost stands first, then what is doubtful; what is in order is counted, each of it and its meaning a tap away', () => {
    show(
      <CheckSheet
        panorama={panorama([
          check('noise', 'good', 0.012, 'fine grain'),
          check('seam error', 'doubtful', 0.2, 'look at the seams'),
          check('level', 'lost', 2, 'level the rig', '°'),
        ])}
      />,
    );
    const names = screen.getAllByText(/^(Noise|Seam error|Level)$/).map((n) => n.props.children);
    expect(names).toEqual(['Level', 'Seam error']);
    expect(screen.getByText('1 in order')).toBeTruthy();
    expect(screen.queryByText('fine grain')).toBeNull();
    fireEvent.press(screen.getByLabelText('What is in order'));
    fireEvent.press(screen.getByLabelText('What noise means'));
    expect(screen.getByText('fine grain')).toBeTruthy();
    expect(screen.getByText('v003 · 4096 × 2048 px · built in 41 s')).toBeTruthy();
  });
  test('a panorama that lost its highlights is called so at the top', () => {
    show(
      <CheckSheet
        panorama={panorama([check('clipped', 'lost', 3e-5, 'shoot shorter frames', 'sr')], { clippedSr: 3e-5 })}
      />,
    );
    expect(screen.getByText('This panorama has lost its highlights')).toBeTruthy();
    expect(screen.getAllByText('shoot shorter frames').length).toBeGreaterThan(0);
  });
  test.each([
    [0.00078, '0.00078'],
    [3.2e-5, '3.2e-5'],
    [0, '0'],
    [12.345, '12.3'],
    [-0.0456, '-0.0456'],
  ])('%d is shown as %s', (value, words) => {
    show(<CheckSheet panorama={panorama([check('light drift', 'doubtful', value, 'w')])} />);
    expect(screen.getByText(new RegExp(`^${words.replace(/[.+-]/g, '\\$&')}`))).toBeTruthy();
  });
  test('what the builder warned of is repeated in its own words', () => {
    show(<CheckSheet panorama={panorama([], { warnings: ['view 3 is weakly tied to the others'] })} />);
    expect(screen.getByText('view 3 is weakly tied to the others')).toBeTruthy();
  });
});
