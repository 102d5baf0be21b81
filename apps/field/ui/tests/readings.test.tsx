import { act, fireEvent, screen } from '@testing-library/react-native';
import type { InstrumentRecord, Location, Reading, Setup, ShootDay, Station, Take } from '@tawny/contract';
import { ReadingsPanel } from '../../features/records/ReadingsPanel';
import { show } from './themed';

const mockServer = {
  readings: [] as Reading[],
  instruments: [] as InstrumentRecord[],
  stations: [] as Station[],
  save: jest.fn(),
  remove: jest.fn(),
  restore: jest.fn(),
  simulate: jest.fn(),
};
jest.mock('../../data/queries', () => ({
  useReadings: () => ({ data: mockServer.readings }),
  useInstruments: () => ({ data: mockServer.instruments }),
  useStations: () => ({ data: mockServer.stations }),
  useReferences: () => ({ data: [] }),
  useRemove: () => ({ remove: mockServer.remove, restore: mockServer.restore, error: null }),
  useSave: () => ({ mutate: mockServer.save, isPending: false, error: null }),
  useOperation: () => ({ mutate: mockServer.simulate, isPending: false, error: null }),
}));

beforeEach(() => {
  jest.clearAllMocks();
  Object.assign(mockServer, { readings: [], instruments: [], stations: [] });
});

const uuid = (n: number) => `6f1c9c1e-0000-4000-8000-${String(n).padStart(12, '0')}`;
const setup = { id: uuid(1), name: 'Net loft', lightCondition: 'lamps on', lightAt: '2026-10-14T15:00:00Z' } as Setup;
const location = { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4, zone: 'Europe/London' } as Location;
const take = { id: uuid(2), slate: '16', take: 1, camera: 'A', shotAt: '2026-10-14T15:10:00Z' } as Take;
const station = { id: uuid(3), name: 'Station 1' } as Station;
const luxMeter = { id: uuid(4), name: 'Sallow 2', kind: 'luxMeter', bias: 20, sigma: 0.03, constant: null, receptor: 'dome' } as unknown as InstrumentRecord; // prettier-ignore
const reading = (more: Partial<Reading>): Reading =>
  ({
    id: uuid(9),
    version: 2,
    setupId: setup.id,
    stationId: null,
    takeId: null,
    referenceId: null,
    kind: 'lux',
    shown: 1000,
    duv: null,
    instrumentId: null,
    receptor: 'flat',
    planeAzimuthDeg: 0,
    planeElevationDeg: 90,
    lightCondition: 'lamps on',
    takenAt: '2026-10-14T15:10:00Z',
    takenAtFrom: 'logged',
    source: 'entered',
    notes: '',
    ...more,
  }) as Reading;
const day = { date: '2026-10-14', callLocal: '09:30', wrapLocal: '17:30' } as ShootDay;
const draw = (takes: Take[] = []) => show(<ReadingsPanel setup={setup} day={day} location={location} takes={takes} />);
const canSave = () => !screen.getByRole('button', { name: 'Save reading' }).props.accessibilityState?.disabled;
const saved = () => mockServer.save.mock.lastCall![0].record as Reading;
const say = (words: string) => {
  const field = screen.getByLabelText('Reading as spoken');
  fireEvent.changeText(field, words);
  fireEvent(field, 'submitEditing');
};

describe('a new reading', () => {
  test('nothing is saved that nobody read; as it is spoken it is understood', () => {
    draw();
    expect(canSave()).toBe(false);
    expect(screen.getByText('Nothing read yet')).toBeTruthy();
    say('30 fc');
    expect(screen.getByText(/^Means 323 ± \d+ lux \(30\.0 fc\)/)).toBeTruthy();
    expect(canSave()).toBe(true);
    say('bright');
    expect(screen.getByText(/bright/)).toBeTruthy();
    fireEvent.press(screen.getByText('Save reading'));
    expect(saved().shown).toBeCloseTo(322.9, 1);
    expect(saved()).toMatchObject({ kind: 'lux', source: 'entered', lightCondition: 'lamps on', receptor: 'flat' });
  });
  test('where its plane faced stays unknown until it is said, and what that costs is told', () => {
    draw();
    say('900 lux');
    expect(screen.getByText(/Say where its plane faced/)).toBeTruthy();
    fireEvent.press(screen.getByText('Save reading'));
    expect(saved()).toMatchObject({ planeAzimuthDeg: null, planeElevationDeg: null });
    // The first step takes flat, facing up; the next ones tilt it.
    fireEvent.press(screen.getByLabelText('Plane faces, elevation up'));
    expect(screen.queryByText(/Say where its plane faced/)).toBeNull();
    fireEvent.press(screen.getByText('Save reading'));
    expect(saved()).toMatchObject({ planeAzimuthDeg: null, planeElevationDeg: 90 });
    // Tilted, it faces somewhere.
    fireEvent.press(screen.getByLabelText('Plane faces, elevation down'));
    expect(screen.getByText(/Say where its plane faced/)).toBeTruthy();
    fireEvent.press(screen.getByLabelText('Plane faces, elevation up'));
    fireEvent.press(screen.getByLabelText('Plane faces, elevation down'));
    fireEvent.press(screen.getByLabelText('Plane faces, azimuth down'));
    fireEvent.press(screen.getByLabelText('Plane faces, azimuth down'));
    fireEvent.press(screen.getByText('Save reading'));
    expect(saved()).toMatchObject({ planeAzimuthDeg: 345, planeElevationDeg: 75 });
  });
  test('on the day itself it was taken now, hours after the last take as well; later it is of the time of what it is about, and assumed, until somebody says when', () => {
    const takenAt = (now: string, takes: Take[] = []) => {
      jest.useFakeTimers({ now: new Date(now), advanceTimers: true });
      const { unmount } = draw(takes);
      say('900 lux');
      fireEvent.press(screen.getByText('Save reading'));
      unmount();
      jest.useRealTimers();
      return `${new Date(saved().takenAt).toISOString().slice(0, 16)} ${saved().takenAtFrom}`;
    };
    expect(takenAt('2026-10-14T11:20:05Z')).toBe('2026-10-14T11:20 logged');
    expect(takenAt('2026-10-14T17:25:05Z', [take])).toBe('2026-10-14T17:25 logged');
    expect(takenAt('2026-10-15T11:20:05Z', [take])).toBe('2026-10-14T15:10 assumed');
    expect(takenAt('2026-10-15T11:20:05Z')).toBe('2026-10-14T15:00 assumed');
  });
  test('its time by hand: said where it is assumed, kept for this reading alone', () => {
    jest.useFakeTimers({ now: new Date('2026-10-15T11:20:05Z'), advanceTimers: true });
    draw([take]);
    say('900 lux');
    expect(screen.getByText('16:10 BST, assumed, nobody said when it was read')).toBeTruthy();
    fireEvent.press(screen.getByLabelText('When it was read'));
    const field = screen.UNSAFE_getByProps({ 'aria-label': 'Time of the reading' });
    act(() => field.props.onChange({ target: { value: '' } }));
    act(() => field.props.onChange({ target: { value: '14:05' } }));
    expect(screen.getByText(/^14:05 BST, entered by hand\./)).toBeTruthy();
    fireEvent.press(screen.getByText('Save reading'));
    expect(saved()).toMatchObject({ takenAt: '2026-10-14T13:05:00.000Z', takenAtFrom: 'entered' });
    act(() => mockServer.save.mock.lastCall![1].onSuccess());
    expect([canSave(), screen.queryByText('Nothing read yet') !== null]).toEqual([false, true]);
    expect(screen.getByText(/^16:10 BST, assumed, nobody said when it was read\./)).toBeTruthy();
    jest.useRealTimers();
  });
  test('another kind begins unread; an angle belongs to the take, light to the station; the usual instrument is named', () => {
    Object.assign(mockServer, { instruments: [luxMeter], stations: [station] });
    draw([take]);
    say('900 lux');
    // Twenty lux too many by its certificate.
    expect(screen.getByText(/^Means 880 ± /)).toBeTruthy();
    fireEvent.press(screen.getByText('Save reading'));
    expect(saved()).toMatchObject({ stationId: station.id, takeId: null, instrumentId: luxMeter.id, receptor: 'dome', takenAt: take.shotAt }); // prettier-ignore
    fireEvent.press(screen.getByLabelText('Tilt'));
    expect(canSave()).toBe(false);
    expect(screen.getByText(/The kit has no instrument for this/)).toBeTruthy();
    fireEvent.press(screen.getByLabelText('Tilt down'));
    fireEvent.press(screen.getByLabelText('Tilt down'));
    fireEvent.press(screen.getByText('Save reading'));
    expect(saved()).toMatchObject({
      kind: 'tilt',
      shown: -0.5,
      takeId: take.id,
      planeElevationDeg: null,
      receptor: null,
    });
  });
  test('what no instrument of its kind can show is told and not saved', () => {
    draw();
    fireEvent.press(screen.getByLabelText('Colour temperature'));
    const field = screen.getByLabelText('Colour temperature in K');
    fireEvent.changeText(field, '5');
    fireEvent(field, 'blur');
    expect(screen.getByText(/is between/)).toBeTruthy();
    expect(canSave()).toBe(false);
  });
  test('a tint that nobody read is none', () => {
    draw();
    fireEvent.press(screen.getByLabelText('Colour temperature'));
    fireEvent.press(screen.getByLabelText('Colour temperature up'));
    fireEvent.press(screen.getByText('Save reading'));
    expect(saved()).toMatchObject({ shown: 5600, duv: null });
    fireEvent.press(screen.getByLabelText('Duv up'));
    fireEvent.press(screen.getByText('Save reading'));
    expect(saved().duv).toBe(0);
  });
  test('the stand-in reads where it is told to face, and says so', () => {
    Object.assign(mockServer, { stations: [station] });
    draw();
    fireEvent.press(screen.getByText('Simulated instrument'));
    const [asked, { onSuccess }] = mockServer.simulate.mock.lastCall!;
    expect(asked).toMatchObject({ kind: 'lux', stationId: station.id, planeAzimuthDeg: 0, planeElevationDeg: 90 });
    act(() => onSuccess({ shown: 742 }));
    fireEvent.press(screen.getByText('Save reading'));
    expect(saved()).toMatchObject({ shown: 742, source: 'simulated', planeAzimuthDeg: 0, planeElevationDeg: 90 });
  });
});

describe('readings that are there', () => {
  test('each says what it means, what was shown, by what, where and when', () => {
    Object.assign(mockServer, {
      instruments: [luxMeter],
      stations: [station],
      readings: [reading({ instrumentId: luxMeter.id, stationId: station.id }), reading({ id: uuid(8), kind: 'distance', shown: 3.2, planeElevationDeg: null })], // prettier-ignore
    });
    draw();
    const [lux, distance] = screen.getAllByText(/showed/).map((n) => String(n.props.children));
    expect(lux).toMatch(/^Sallow 2 showed 1000 lux \(92\.9 fc\) · .* · at Station 1 · lamps on · 16:10 BST · plane facing 0° \/ 90°$/); // prettier-ignore
    expect(distance).toMatch(/^no instrument named showed 3\.2 m \(10' 6"\)/);
  });
  test('one that was spoken in another unit is not shown to the last digit of a float', () => {
    Object.assign(mockServer, { readings: [reading({ shown: 1205.5579666714889 })] });
    draw();
    expect(String(screen.getByText(/showed/).props.children)).toMatch(/ showed 1205\.6 lux \(112\.0 fc\) /);
  });
  test('an azimuth that nobody stated is not called north', () => {
    Object.assign(mockServer, { readings: [reading({ planeAzimuthDeg: null, planeElevationDeg: 90 })] });
    draw();
    expect(String(screen.getByText(/showed/).props.children)).toMatch(/plane facing elevation 90°$/);
  });
  test('when it was read can be said afterwards, and is then no assumption', () => {
    Object.assign(mockServer, { readings: [reading({ takenAtFrom: 'assumed' })] });
    draw();
    expect(String(screen.getByText(/showed/).props.children)).toMatch(/16:10 BST, assumed/);
    fireEvent.press(screen.getByText('Say when'));
    const field = screen.UNSAFE_getByProps({ 'aria-label': 'Time of this reading' });
    act(() => field.props.onChange({ target: { value: '15:50' } }));
    fireEvent.press(screen.getByText('It was read then'));
    const [{ record, change }, { onSuccess }] = mockServer.save.mock.lastCall!;
    expect(record).toMatchObject({ id: uuid(9), version: 2 });
    expect(change).toEqual({ takenAt: '2026-10-14T14:50:00.000Z', takenAtFrom: 'entered' });
    act(() => onSuccess());
    expect(screen.queryByText('It was read then')).toBeNull();
  });
  test('one that is removed can be taken back', () => {
    Object.assign(mockServer, { readings: [reading({})] });
    draw();
    fireEvent.press(screen.getByText('Remove'));
    const [removed, { onSuccess }] = mockServer.remove.mock.lastCall!;
    expect(removed).toMatchObject({ id: uuid(9), version: 2 });
    act(() => onSuccess());
    fireEvent.press(screen.getByText('Take it back'));
    expect(mockServer.restore.mock.lastCall![0]).toBe(uuid(9));
  });
});
