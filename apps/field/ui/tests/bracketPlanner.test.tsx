import { act, fireEvent, screen, waitFor } from '@testing-library/react-native';
import type { LightRound, Location, Panorama, Reading, Setup, TestFrameResult } from '@tawny/contract';
import { BracketPlanner } from '../../features/round/BracketPlanner';
import { show } from './themed';

const mockServer = {
  readings: [] as Partial<Reading>[],
  panoramas: [] as Partial<Panorama>[],
  upload: jest.fn(),
  picked: [{ name: 'test.jpg' }] as unknown[],
};
jest.mock('../../data/queries', () => ({
  useReadings: () => ({ data: mockServer.readings }),
  usePanoramas: () => ({ data: mockServer.panoramas }),
  useProductionCode: () => 'HERN',
}));
jest.mock('../../data/api', () => ({ upload: (...args: unknown[]) => mockServer.upload(...args) }));
jest.mock('../pickFiles', () => ({ PICTURE_FILES: 'image/*', pickFiles: async () => mockServer.picked }));

beforeEach(() => {
  mockServer.upload.mockReset();
  Object.assign(mockServer, { readings: [], panoramas: [], picked: [{ name: 'test.jpg' }] });
});

const location = { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4, zone: 'Europe/London' } as Location;
// The sun stands nine degrees high.
const round = { id: 'r', shotAt: '2026-10-14T15:40:00Z', rig: { projection: 'equidistant', fovDeg: 185, views: 6 } } as LightRound; // prettier-ignore
function draw(kind: Setup['kind'] = 'exterior', more: Partial<LightRound> = {}) {
  show(<BracketPlanner round={{ ...round, ...more }} setup={{ id: 's', kind } as Setup} location={location} />);
  fireEvent.press(screen.getByLabelText('Plan the bracket'));
}
const verdict = () => screen.getByTestId('plan-verdict');
const frames = () => String(screen.getByTestId('plan-frames').props.children);
/** All that stands in a part of the screen. */
const words = (node: ReturnType<typeof verdict>): string =>
  node.children.map((c) => (typeof c === 'string' ? c : words(c))).join(' ');

describe('the bracket before the round', () => {
  test('a clear sun wants ND and short frames; a lux reading without one does not', () => {
    draw();
    expect(words(verdict())).toMatch(/ND \d\.\d \(\d+ stops\) for the brightest: holds the whole range/);
    expect(frames()).toMatch(/1\/8000 with ND/);
    fireEvent.press(screen.getByLabelText('Lux reading'));
    expect(words(verdict())).toMatch(/No ND: holds the whole range/);
    expect(frames()).not.toMatch(/with ND/);
  });
  test('the newest reading of the setup tells the light until it is changed', () => {
    mockServer.readings = [
      { kind: 'lux', shown: 300, takenAt: '2026-10-14T10:00:00Z' },
      { kind: 'lux', shown: 12000, takenAt: '2026-10-14T15:00:00Z' },
      { kind: 'spot', shown: 5, takenAt: '2026-10-14T15:30:00Z' },
    ];
    draw('interior');
    const light = screen.getByLabelText('Light on the set in lux');
    expect(light.props.value).toBe('12000');
    expect(screen.getByText('from the newest reading')).toBeTruthy();
    fireEvent.press(screen.getByLabelText('Light on the set up'));
    expect(screen.getByLabelText('Light on the set in lux').props.value).toBe('13000');
    expect(screen.queryByText('from the newest reading')).toBeNull();
  });
  test('too few frames are told by what they miss', () => {
    draw('interior');
    for (let k = 0; k < 6; k++) fireEvent.press(screen.getByLabelText('Most frames a view down'));
    expect(screen.getByLabelText('Most frames a view').props.value).toBe('1');
    expect(words(verdict())).toMatch(/stops short of the (brightest|shadows)/);
    fireEvent.press(screen.getByLabelText('Most frames a view down'));
    expect(screen.getByLabelText('Most frames a view').props.value).toBe('1');
  });
  test('indoors the sun is no matter and lamps hang on the mains; outdoors it says how far the sun goes on', () => {
    draw('interior');
    expect(screen.queryByLabelText('Clear sun, now')).toBeNull();
    expect(screen.queryByText('Sun moves')).toBeNull();
    expect(screen.getByLabelText('50 Hz').props.accessibilityState?.checked ?? screen.getByLabelText('50 Hz').props['aria-checked']).toBe(true); // prettier-ignore
    screen.unmount();
    draw();
    expect(screen.getByText('Sun moves')).toBeTruthy();
  });
  test('a rig of whole 360° frames is shot once, which takes the time of one view', () => {
    draw();
    const seconds = () => {
      const [, value, unit] = /([\d.]+)\s*(s|min)/.exec(words(screen.getByTestId('plan-time')))!;
      return Number(value) * (unit === 'min' ? 60 : 1);
    };
    const around = seconds();
    screen.unmount();
    draw('exterior', { rig: { projection: 'latlong', fovDeg: 360, views: 1 } });
    expect(seconds()).toBeLessThan(around / 3);
  });
});

describe('a test frame', () => {
  const result: TestFrameResult = { darkest: 0.5, brightest: 900, clippedShare: 0.02 } as TestFrameResult;
  test('tells the range that it holds; what was cut off is taken for the sun', async () => {
    mockServer.upload.mockResolvedValue(result);
    draw();
    fireEvent.press(screen.getByLabelText('Test frame'));
    await act(async () => fireEvent.press(screen.getByText('Choose a test frame')));
    await waitFor(() => expect(screen.getByText(/holds 0\.50 to 9\.0e\+2 cd\/m²/)).toBeTruthy());
    expect(screen.getByText(/2\.0 % cut off, taken for the sun/)).toBeTruthy();
    expect(mockServer.upload.mock.lastCall!.slice(0, 3)).toEqual(['rounds.testFrame', { params: { production: 'HERN', id: 'r' } }, [{ name: 'test.jpg' }]]); // prettier-ignore
    expect(screen.getByText('Another test frame')).toBeTruthy();
  });
  test('one that tells nothing says why; a choice that was broken off sends nothing', async () => {
    mockServer.upload.mockRejectedValue(new Error('test.jpg states no exposure'));
    draw();
    fireEvent.press(screen.getByLabelText('Test frame'));
    await act(async () => fireEvent.press(screen.getByText('Choose a test frame')));
    await waitFor(() => expect(screen.getByText('The test frame tells nothing')).toBeTruthy());
    expect(screen.getByText('test.jpg states no exposure')).toBeTruthy();
    mockServer.upload.mockClear();
    mockServer.picked = [];
    await act(async () => fireEvent.press(screen.getByText('Choose a test frame')));
    expect(mockServer.upload).not.toHaveBeenCalled();
  });
});
