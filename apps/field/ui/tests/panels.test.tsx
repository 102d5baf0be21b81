import { fireEvent, screen } from '@testing-library/react-native';
import { useState, type ReactElement } from 'react';
import type { CameraBody, FilterRecord, Gap, LensRecord, Need, Setup, TakeInput } from '@tawny/contract';
import { bodyInput, lensInput } from '@tawny/contract/kit';
import { takeInput } from '@tawny/contract/takes';
import { fieldOfViewDeg } from '@tawny/core/camera/fieldOfView';
import { GapList } from '../../features/day/GapList';
import { SetupRow } from '../../features/day/SetupRow';
import { EntrancePupil, MeasuredDensity, SolvedDistortion } from '../../features/kit/KitTables';
import { KIT } from '../../features/kit/kitFields';
import { Stepper } from '../Stepper';
import { ExposureCells, LensCells, PlaceCells } from '../../features/log/ValueCells';
import { LensFacts } from '../../features/log/LensFacts';
import { PlanDrawing } from '../../features/plan/PlanDrawing';
import { AimDial } from '../../features/round/AimDial';
import { ExposureLadder, labelsAcross } from '../../features/round/ExposureLadder';
import { AgreementBars } from '../AgreementBars';
import { Fold } from '../Fold';
import { Progress } from '../Progress';
import { Text } from '../Text';
import { ThemeProvider } from '../theme';
import { show } from './themed';

const mockPush = jest.fn();
// The address belongs to the browser.
jest.mock('expo-router', () => ({
  router: { push: (to: string) => mockPush(to) },
  useLocalSearchParams: () => ({ production: 'HERN' }),
}));

/** A drawing knows its width once it is laid out. */
const layOut = (label: string | RegExp, width: number) =>
  fireEvent(screen.getByLabelText(label), 'layout', { nativeEvent: { layout: { width, height: 300, x: 0, y: 0 } } });
/** Words in the drawings on the screen. */
const drawn = () =>
  screen.UNSAFE_root.findAll((n) => (n.type as string) === 'RNSVGTSpan').map((n) => String(n.props.content));
const uuid = (n: number) => `6f1c9c1e-0000-4000-8000-${String(n).padStart(12, '0')}`;
const stored = { version: 1, createdAt: '', updatedAt: '' };
const body: CameraBody = {
  ...stored,
  ...bodyInput.parse({
    id: uuid(1),
    name: 'Corrie 35',
    baseEi: 800,
    formats: [{ name: 'full', gateWidthMm: 24.89, gateHeightMm: 14, widthPx: 1920, heightPx: 1080, maxFps: 60 }],
  }),
};
const mini: CameraBody = {
  ...stored,
  ...bodyInput.parse({
    id: uuid(2),
    name: 'Gorse 16',
    baseEi: 400,
    formats: [{ name: 'crop', gateWidthMm: 18, gateHeightMm: 10, widthPx: 1920, heightPx: 1080, maxFps: 60 }],
  }),
};
const zoom: LensRecord = {
  ...stored,
  ...lensInput.parse({
    id: uuid(3),
    name: 'Skerry zoom',
    kind: 'zoom',
    focalMinMm: 24,
    focalMaxMm: 70,
    tMin: 2.9,
    tMax: 22,
    closeFocusM: 0.6,
  }),
};
const prime: LensRecord = {
  ...stored,
  ...lensInput.parse({
    id: uuid(4),
    name: 'Skerry prime 18',
    kind: 'prime',
    focalMinMm: 18,
    focalMaxMm: 18,
    tMin: 1.8,
    tMax: 22,
    closeFocusM: 0.3,
  }),
};
const take: TakeInput = takeInput.parse({
  id: uuid(5),
  setupId: uuid(6),
  slate: '14A',
  take: 3,
  camera: 'A',
  status: 'good',
  bodyId: body.id,
  formatName: 'full',
  lensId: zoom.id,
  focalLengthMm: 35,
  tStop: 4,
  ei: 800,
  shutterAngleDeg: 180,
  fps: 24,
  whiteBalanceK: 5600,
  ndStops: 0,
  heightM: null,
  tiltDeg: 0,
  headingDeg: 10,
  focusM: 3,
  eastM: 0,
  northM: 0,
  shotAt: '2026-10-14T15:20:00Z',
  notes: '',
});

describe('agreement of sources', () => {
  const sources = [
    { name: 'Grey card', value: 1.5, plusMinus: 0.02 },
    { name: 'Metadata', value: 1.2, plusMinus: 0.3 },
  ];
  test('each stands with its value and interval, the adopted one below, and all of it can be read aloud', () => {
    show(<AgreementBars unit="stop" adopted={1.5} sources={sources} />);
    const label = 'Grey card 1.50 ± 0.02 stop, Metadata 1.20 ± 0.30 stop';
    expect(drawn()).toEqual([]);
    layOut(label, 340);
    expect(drawn()).toEqual(['Grey card', '1.50 ±0.02 stop', 'Metadata', '1.20 ±0.30 stop', 'adopted 1.50 stop']);
  });
  test('degrees cling to their number', () => {
    show(<AgreementBars unit="°" adopted={9.05} sources={[{ name: 'Found', value: 9.06, plusMinus: 0.01 }]} />);
    layOut(/^Found/, 300);
    expect(drawn()).toContain('9.06 ±0.01°');
  });
});

describe('drawings say what they show', () => {
  test('the ladder: gaps are counted and named in stops', () => {
    const histogram = { firstStop: -4, binsPerStop: 1, sr: Array.from({ length: 24 }, () => 0.5) };
    show(<ExposureLadder ev={[0]} bits={8} histogram={histogram} shutters={['1/60']} />);
    const label = screen.getByLabelText(/^Exposure ladder of 1 frames, \d gaps$/);
    fireEvent(label, 'layout', { nativeEvent: { layout: { width: 360, height: 300, x: 0, y: 0 } } });
    expect(drawn().filter((words) => /^\d+\.\d stops not covered$/.test(words)).length).toBeGreaterThan(0);
  });
  test('shadows under the longest frame are named as what they are', () => {
    const histogram = { firstStop: -6, binsPerStop: 1, sr: Array<number>(10).fill(1) };
    show(<ExposureLadder ev={[4]} bits={8} histogram={histogram} shutters={['1/60']} />);
    fireEvent(screen.getByLabelText(/^Exposure ladder/), 'layout', {
      nativeEvent: { layout: { width: 360, height: 300, x: 0, y: 0 } },
    });
    expect(drawn()).toContain('3.0 stops under all frames');
  });
  test('the ladder without gaps says so', () => {
    show(
      <ExposureLadder
        ev={[0, 2, 4]}
        bits={16}
        histogram={{ firstStop: 0, binsPerStop: 1, sr: [1, 1] }}
        shutters={['a', 'b', 'c']}
      />,
    );
    expect(screen.getByLabelText('Exposure ladder of 3 frames, no gaps')).toBeTruthy();
  });
  test('the shutters of the rungs stand inside them: across, or along where one is too long', () => {
    expect(labelsAcross(['0.5s', '1/8000'], 60)).toBe(true);
    expect(labelsAcross(['0.5s', '1/8000'], 30)).toBe(false);
    expect(labelsAcross(['0.5s', '1/8'], 30)).toBe(true);
  });
  test('the dial of aims counts what is done', () => {
    const aims = [0, 90, 180, 270].map((headingDeg) => ({ headingDeg, tiltDeg: 0 }));
    show(<AimDial aims={aims} done={new Set([0, 2])} next={1} look={{ headingDeg: 80, tiltDeg: 5, rollDeg: 0 }} />);
    expect(screen.getByLabelText('Aims: 2 of 4 photographed')).toBeTruthy();
  });
  test('the plan: everything with its place, measured lengths with their unit', () => {
    const at = (id: string, name: string, eastM: number, northM: number) => ({
      id,
      name,
      kind: 'station' as const,
      eastM,
      northM,
      ellipse: { majorM: 0.1, minorM: 0.05, bearingDeg: 30 },
    });
    const tape = {
      ...stored,
      id: 'm',
      setupId: 's',
      fromMarkId: 'a',
      toMarkId: 'b',
      kind: 'distance' as const,
      value: 5,
      sigma: 0.02,
    };
    show(
      <PlanDrawing
        items={[at('a', 'Station 1', 0, 0), at('b', 'Mast', 3, 4)]}
        measures={[tape]}
        sun={{ azimuthDeg: 243, elevationDeg: 9 }}
      />,
    );
    layOut('Plan with Station 1 at 0.0 east 0.0 north, Mast at 3.0 east 4.0 north', 360);
    expect(drawn()).toEqual(expect.arrayContaining(['5 m', 'sun 243°', 'Mast', 'N']));
  });
  test('progress can be read aloud, and left', () => {
    const heard = jest.fn();
    show(<Progress stage="Merged view 2 of 6" fraction={0.257} onCancel={heard} />);
    expect(screen.getByText(/26/)).toBeTruthy();
    fireEvent.press(screen.getByText('Cancel'));
    expect(heard).toHaveBeenCalledTimes(1);
  });
  test('what is folded says what it holds', () => {
    show(
      <Fold title="Plan" summary="7 frames">
        <Text>inside</Text>
      </Fold>,
    );
    expect(screen.queryByText('inside')).toBeNull();
    fireEvent.press(screen.getByLabelText('Plan'));
    expect(screen.getByText('inside')).toBeTruthy();
    expect(screen.queryByText('7 frames')).toBeNull();
  });
});

describe('tables of the kit', () => {
  function Held<T>({
    start,
    draw,
  }: {
    start: T;
    draw: (value: T, change: (part: Partial<T>) => void) => ReactElement;
  }) {
    const [value, setValue] = useState(start);
    latest = value;
    return draw(value, (part) => setValue((v) => ({ ...v, ...part })));
  }
  let latest: unknown;
  test("a filter's density starts at its engraving, channel by channel, and can go back to it", () => {
    const filter = { density: 0.6, measuredDensity: null } as FilterRecord;
    show(<Held start={filter} draw={(f, change) => <MeasuredDensity filter={f} onChange={change} />} />);
    fireEvent.press(screen.getByText('Enter the measured density'));
    fireEvent.press(screen.getByLabelText('Density, green up'));
    expect(latest).toMatchObject({ measuredDensity: [0.6, 0.61, 0.6] });
    fireEvent.press(screen.getByText('Only the engraving counts'));
    expect(latest).toMatchObject({ measuredDensity: null });
  });
  test('entrance pupils of a zoom: one for each focal length', () => {
    show(<Held start={zoom} draw={(l, change) => <EntrancePupil lens={l} onChange={change} />} />);
    fireEvent.press(screen.getByText('Add a focal length'));
    fireEvent.press(screen.getByText('Add a focal length'));
    expect((latest as LensRecord).entrancePupil).toEqual([
      { focalMm: 24, distanceMm: 80 },
      { focalMm: 24, distanceMm: 80 },
    ]);
    fireEvent.press(screen.getAllByLabelText('At focal length up')[1]);
    fireEvent.press(screen.getAllByText('Remove')[0]);
    expect((latest as LensRecord).entrancePupil).toEqual([{ focalMm: 25, distanceMm: 80 }]);
  });
  test('a distortion has five coefficients, or there is none', () => {
    show(<Held start={zoom} draw={(l, change) => <SolvedDistortion lens={l} onChange={change} />} />);
    fireEvent.press(screen.getByText('Enter its coefficients'));
    fireEvent.press(screen.getByLabelText('k1 down'));
    fireEvent.press(screen.getByLabelText('k3 up'));
    expect((latest as LensRecord).distortion).toEqual({
      focalMm: 24,
      idealToDistorted: [-0.001, 0, 0, 0, 0.001],
      solvedOn: null,
    });
    fireEvent.press(screen.getByText('Without distortion'));
    expect((latest as LensRecord).distortion).toBeNull();
  });
  test.each(KIT.map((k) => [k.title, k] as const))(
    '%s: a fresh one is what the API takes once it has a name, and can be told in a line',
    (_title, kind) => {
      const fresh = kind.fresh('New thing');
      expect(kind.input.safeParse(fresh).success).toBe(true);
      expect(kind.input.safeParse({ ...fresh, name: ' ' }).success).toBe(false);
      expect(kind.line(fresh as never).length).toBeGreaterThan(5);
      // What its owner must say stands in the form.
      for (const name of kind.unstated) expect(lookup(fresh, name)).toEqual(expect.any(Number));
    },
  );
});

/** A number of a piece of kit; of a body's first format by `formats.NAME`. */
const lookup = (item: object, name: string): unknown =>
  name
    .split('.')
    .reduce<unknown>((at, key) => (Array.isArray(at) ? at[0] : (at as Record<string, unknown>))[key], item);

describe('a number that nobody has said', () => {
  const draw = (onChange: (v: number) => void) =>
    show(<Stepper label="Lens height" unit="m" step={0.1} value={1.6} unstated onChange={onChange} />);
  test('shows none; a step takes the one to begin with, typing says another', () => {
    const heard = jest.fn();
    draw(heard);
    const field = screen.getByLabelText('Lens height in m');
    expect(field.props.value).toBe('');
    expect(field.props.placeholder).toBe('–');
    fireEvent(field, 'blur');
    expect(heard).not.toHaveBeenCalled();
    fireEvent.press(screen.getByLabelText('Lens height up'));
    expect(heard).toHaveBeenLastCalledWith(1.6);
    fireEvent.changeText(field, '1,48');
    fireEvent(field, 'blur');
    expect(heard).toHaveBeenLastCalledWith(1.48);
  });
});

describe('cells of a take', () => {
  const cells = (change: (part: Partial<TakeInput>) => void, more: Partial<TakeInput> = {}) => ({
    take: { ...take, ...more },
    last: undefined,
    change,
    fault: () => undefined,
  });
  test("stops, EI and shutter go in the trade's increments", () => {
    const heard = jest.fn();
    show(<ExposureCells {...cells(heard)} filters={[]} />);
    fireEvent.press(screen.getByLabelText('Stop up'));
    fireEvent.press(screen.getByLabelText('EI down'));
    fireEvent.press(screen.getByLabelText('Shutter down'));
    expect(heard.mock.calls.map(([p]) => p)).toEqual([
      { tStop: 4.5 },
      { ei: 640 },
      { shutterAngleDeg: expect.any(Number) },
    ]);
    expect(heard.mock.calls[2][0].shutterAngleDeg).toBeLessThan(180);
  });
  test('another lens brings a focal length that it has; one it has too is kept', () => {
    const heard = jest.fn();
    show(<LensCells {...cells(heard)} bodies={[body, mini]} lenses={[zoom, prime]} />);
    fireEvent.press(screen.getByLabelText('Skerry prime 18'));
    expect(heard).toHaveBeenLastCalledWith({ lensId: prime.id, focalMeasured: false, focalLengthMm: 18 });
    fireEvent.press(screen.getByLabelText('Skerry zoom'));
    expect(heard).toHaveBeenLastCalledWith({ lensId: zoom.id, focalMeasured: false });
    fireEvent.press(screen.getByLabelText('Gorse 16'));
    expect(heard).toHaveBeenLastCalledWith({ bodyId: mini.id, formatName: 'crop' });
  });
  test("what was not measured begins at the last take's value, or where it usually is", () => {
    const heard = jest.fn();
    show(<PlaceCells {...cells(heard)} />);
    fireEvent.press(screen.getByLabelText('Measure Lens height'));
    expect(heard).toHaveBeenLastCalledWith({ heightM: 1.5 });
    fireEvent.press(screen.getByLabelText('Magnetic'));
    expect(heard).toHaveBeenLastCalledWith({ headingNorth: 'magnetic' });
  });
  test('what body, lens and focus make: field of view, depth, exposure', () => {
    show(<LensFacts take={take} body={body} lens={zoom} />);
    expect(screen.getByText(new RegExp(fieldOfViewDeg(24.89, 35).toFixed(1)))).toBeTruthy();
    // T4, 1/48 s, EI 800: log2(16 * 48) - 3.
    expect(screen.getByText(new RegExp((Math.log2(16 * 48) - 3).toFixed(1)))).toBeTruthy();
  });
  test('a focus nearer than the lens can be thought of leaves depth open', () => {
    show(<LensFacts take={{ ...take, focusM: 0.05 }} body={body} lens={zoom} />);
    expect(screen.getByText(/–/)).toBeTruthy();
  });
});

describe('the gap list', () => {
  const gap = (what: string, lostAt: string | null, urgency: Gap['urgency'] = 'today'): Gap => ({
    rule: what,
    setupId: 's',
    what,
    reason: `why ${what}`,
    urgency,
    lostAt,
    action: { title: `Do ${what}`, path: `/do/${what}` },
  });
  const setups = [{ id: 's', name: 'Quay' }] as Setup[];
  test('what is lost first stands first, what nothing takes away last; its button leads there', () => {
    show(
      <GapList
        zone="Europe/London"
        setups={setups}
        now={new Date('2026-10-14T15:30:00Z')}
        gaps={[
          gap('b', null, 'later'),
          gap('c', '2026-10-14T17:00:00Z'),
          gap('a', '2026-10-14T16:00:00Z', 'now'),
          gap('d', '2026-10-14T15:00:00Z', 'now'),
        ]}
      />,
    );
    expect(screen.getAllByText(/^Lacks /).map((n) => n.props.children)).toEqual([
      'Lacks d',
      'Lacks a',
      'Lacks c',
      'Lacks b',
    ]);
    expect(screen.getByText('Now: lost at 17:00 BST')).toBeTruthy();
    // Its time was a plan, and has passed.
    expect(screen.getByText('Overdue since 16:00 BST')).toBeTruthy();
    expect(screen.getByText('Can be done any time')).toBeTruthy();
    expect(screen.getByText('Quay · why a')).toBeTruthy();
    fireEvent.press(screen.getByText('Do c'));
    expect(mockPush).toHaveBeenLastCalledWith('/HERN/do/c');
  });
  test('what went with its light stands last, is said once and hurries nobody', () => {
    const light = '2026-10-14T16:30:00Z';
    show(
      <GapList
        zone="Europe/London"
        setups={setups}
        gaps={[
          gap('card', light, 'gone'),
          gap('north', null, 'later'),
          gap('round', light, 'gone'),
          gap('plate', '2026-10-14T19:00:00Z', 'now'),
        ]}
      />,
    );
    expect(screen.getByText('Gap list: 2 to do, 2 gone')).toBeTruthy();
    expect(screen.getAllByText(/^(Lacks|Gone) ?/).map((n) => n.props.children)).toEqual([
      'Lacks plate',
      'Lacks north',
      'Gone: card, round',
    ]);
    expect(
      screen.getByText('Quay · the light went at 17:30 BST; what was shot all the same can still be added'),
    ).toBeTruthy();
    expect(screen.queryByText('Do card')).toBeNull();
  });
  test('more than six are a tap away; none is said to be good', () => {
    const { rerender } = show(
      <GapList zone="UTC" setups={setups} gaps={Array.from({ length: 9 }, (_, i) => gap(`g${i}`, null))} />,
    );
    expect(screen.getByText('Gap list: 9 to do')).toBeTruthy();
    expect(screen.getAllByText(/^Lacks /)).toHaveLength(6);
    fireEvent.press(screen.getByText('Show all 9'));
    expect(screen.getAllByText(/^Lacks /)).toHaveLength(9);
    rerender(
      <ThemeProvider>
        <GapList zone="UTC" setups={setups} gaps={[]} />
      </ThemeProvider>,
    );
    expect(screen.getByText('Nothing is missing')).toBeTruthy();
  });
  test('what is asked of every take is not there before the first one, and is not lacking either', () => {
    const needs: Need[] = ['round', 'lensGrid', 'cameraHeight'];
    const setup = { id: 's', name: 'Quay', slate: '14A', kind: 'exterior', lightCondition: 'sun out', needs } as Setup;
    const row = (rules: string[]) => (
      <SetupRow
        zone="UTC"
        setup={setup}
        gaps={{ setupId: 's', roundId: null, gaps: rules.map((rule) => ({ ...gap(rule, null), rule })) }}
      />
    );
    const { rerender } = show(row(['round', 'take']));
    expect(screen.getByText('0 of 3 needs met')).toBeTruthy();
    expect(screen.getByText('lens grid with the first take')).toBeTruthy();
    expect(screen.getByText('round open')).toBeTruthy();
    rerender(<ThemeProvider>{row(['lensGrid'])}</ThemeProvider>);
    expect(screen.getByText('2 of 3 needs met')).toBeTruthy();
    expect(screen.getByText('lens grid open')).toBeTruthy();
    expect(screen.getByText('camera height and tilt')).toBeTruthy();
    rerender(<ThemeProvider>{row([])}</ThemeProvider>);
    expect(screen.getByText('Complete')).toBeTruthy();
  });
});
