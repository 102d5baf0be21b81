import { fireEvent, screen } from '@testing-library/react-native';
import type { GroupingResult, LightRound, Panorama, ViewCheck } from '@tawny/contract';
import { RigSensitivity } from '../../features/measure/RigSensitivity';
import { RigLearned } from '../../features/round/RigLearned';
import { ViewCheckList } from '../../features/round/ViewCheckList';
import { findingsOf, idleSentence, roundSentence } from '../../features/round/viewChecks';
import { ThemeProvider } from '../theme';
import { show } from './themed';

// The kit and the other rounds come from the server; here there are none but where a test puts some.
const mockServer = { rigs: [] as unknown[], rounds: [] as unknown[], panoramas: [] as unknown[], saved: jest.fn() };
jest.mock('../../data/queries', () => ({
  useRigs: () => ({ data: mockServer.rigs }),
  useAllRounds: () => ({ data: mockServer.rounds }),
  usePanoramas: () => ({ data: mockServer.panoramas }),
  useSave: () => ({ error: null, isPending: false, mutate: mockServer.saved }),
}));

describe('views while the rig still stands there', () => {
  const view = (name: string) => ({ frames: [{ id: name, name, exposure: 1, shutterS: 1, bits: 8 }], notes: [] });
  const grouping: GroupingResult = {
    views: [view('a'), view('b'), view('c')],
    detailPx: null,
    ladderEv: [0],
    certain: true,
    notes: [],
  };
  const check = (frame: string, verdict: ViewCheck['verdict'], findings: string[] = []) =>
    ({ frames: [frame], verdict, findings, shakePx: 0 }) as unknown as ViewCheck;
  const round = (viewChecks: ViewCheck[] | null) => ({ viewChecks }) as LightRound;
  test('nothing is said before anything was looked at', () => {
    show(<ViewCheckList round={round(null)} grouping={grouping} />);
    expect(screen.queryByTestId('view-checks')).toBeNull();
  });
  test('which to shoot again stands in one line with its reason; what else was found stands below', () => {
    show(
      <ViewCheckList
        round={round([
          check('a', 'good'),
          check('b', 'again', ['lacks the frame of 1/250 s', 'was bumped']),
          check('c', 'doubtful', ['a lamp flickers']),
        ])}
        grouping={grouping}
      />,
    );
    expect(screen.getByText('Shoot view 2 again: lacks the frame of 1/250 s')).toBeTruthy();
    expect(screen.queryByText('lacks the frame of 1/250 s')).toBeNull();
    expect(screen.getByText('was bumped')).toBeTruthy();
    expect(screen.getByText('a lamp flickers')).toBeTruthy();
    expect(screen.queryByText('View 1')).toBeNull();
  });
  test.each([
    [[check('a', 'good'), check('b', 'good'), check('c', 'good')], 'Build it: every view holds'],
    [
      [check('a', 'good'), check('b', 'doubtful', ['x']), check('c', 'good')],
      'Build it; no view needs to be shot again',
    ],
    [
      [check('a', 'again', ['x']), check('b', 'again', ['y']), check('c', 'again', ['z'])],
      'Shoot views 1, 2 and 3 again',
    ],
    [[check('a', 'good')], 'Views are being looked at'],
  ])('otherwise it says how far it is', (checks, words) => {
    show(<ViewCheckList round={round(checks)} grouping={grouping} />);
    expect(screen.getByText(words)).toBeTruthy();
  });
  test('once it is built the check sheet speaks: what was found is a tap away, and nothing is planned any more', () => {
    const idle = { shortest: 3, longest: 0 };
    const checks = [check('a', 'good'), check('b', 'doubtful', ['a lamp flickers']), check('c', 'good')];
    const all = checks.map((c) => ({ ...c, idle }));
    const { rerender } = show(<ViewCheckList round={round(all)} grouping={grouping} />);
    expect(screen.getByText('a lamp flickers')).toBeTruthy();
    expect(screen.getByText(/The 2 shortest frames/)).toBeTruthy();
    rerender(
      <ThemeProvider>
        <ViewCheckList round={round(all)} grouping={grouping} built />
      </ThemeProvider>,
    );
    expect(screen.queryByText('a lamp flickers')).toBeNull();
    expect(screen.queryByText(/The 2 shortest frames/)).toBeNull();
    expect(screen.getByText('1 view')).toBeTruthy();
    fireEvent.press(screen.getByLabelText('What was found in the views'));
    expect(screen.getByText('a lamp flickers')).toBeTruthy();
  });
});

test('what every view has is said once, of the view that has most of it', () => {
  const dark = (share: number) => `is noise only over ${share} % even in its longest frame: add longer frames`;
  const checks = [
    { findings: [dark(6)] },
    { findings: [dark(16), 'was bumped: its frames are shifted by up to 2.1 px'] },
    { findings: [dark(7.2)] },
  ] as unknown as ViewCheck[];
  expect(findingsOf(checks)).toEqual({
    common: [`Every view ${dark(16)}`],
    own: [[], ['was bumped: its frames are shifted by up to 2.1 px'], []],
  });
  // Built already, nobody is told to build it.
  expect(roundSentence([checks[0]], true).words).toBe('No view needs to be shot again');
  // One view alone, or a view that was not looked at yet, has nothing in common.
  expect(findingsOf(checks.slice(0, 1))).toEqual({ common: [], own: [[dark(6)]] });
  expect(findingsOf([...checks, null]).common).toEqual([]);
});

test('frames that add nothing are said once for the round, with one in reserve, and only when no view needs them', () => {
  const view = (shortest: number, longest = 0): ViewCheck => ({
    frames: [],
    verdict: 'good',
    findings: [],
    clippedSr: 0,
    starvedShare: 0,
    movedShare: 0,
    shakePx: 0,
    idle: { shortest, longest },
  });
  const light = 'every light is held without';
  expect(idleSentence([view(3), view(4)])).toBe(`The 2 shortest frames (${light}) add nothing here`);
  expect(idleSentence([view(2), view(4)])).toBe(`The shortest frame (${light}) adds nothing here`);
  expect(idleSentence([view(3, 1), view(3, 2)])).toBe(
    `The 2 shortest frames (${light}) and the longest frame (white all over) add nothing here`,
  );
  expect(idleSentence([view(1), view(4)])).toBeNull();
  expect(idleSentence([view(3), null])).toBeNull();
  expect(idleSentence([{ ...view(3), idle: undefined }])).toBeNull();
  expect(idleSentence([])).toBeNull();
});

describe('what a round taught of its rig', () => {
  const learned = {
    fovDeg: 186.2,
    statedFovDeg: 185,
    focalUncertainty: 0.002,
    poly: [-0.0021, 0.0004] as [number, number],
    falloff: { terms: [-0.1, 0, 0] as [number, number, number], uncertaintyStops: 0.12 },
    pupilMmPerM: 1.4,
    exposureFactors: [1, 1, 1],
    responseDepartureStops: null,
  };
  const round = { id: 'r', rigId: null, rig: { projection: 'equidistant' } } as LightRound;
  const taught = (more: Partial<typeof learned> | { falloff: null }) =>
    ({ id: 'p', roundId: 'r', learned: { ...learned, ...more } }) as unknown as Panorama;
  test('each thing that was measured has a line; what was not has none', () => {
    const { unmount } = show(<RigLearned round={round} panorama={taught({})} />);
    expect(screen.getByText('Focal length 0.6 % shorter than stated ± 0.2 %')).toBeTruthy();
    fireEvent.press(screen.getByLabelText('What it taught of the rig'));
    expect(screen.getByText('Falloff −0.36 ± 0.12 stop at 90° off its axis')).toBeTruthy();
    expect(screen.queryByText(/Exposures against their tags/)).toBeNull();
    unmount();
    show(<RigLearned round={round} panorama={taught({ falloff: null })} />);
    fireEvent.press(screen.getByLabelText('What it taught of the rig'));
    expect(screen.queryByText(/Falloff/)).toBeNull();
    expect(screen.getByText(/Entrance pupil \+1 mm/)).toBeTruthy();
  });
  test('what changed since the round before is said first, and the kit is offered what is known now', () => {
    const flat = (by: number) => ({ curve: 'srgb', departures: [0, 1, 2].map(() => Array.from({ length: 22 }, (_, k) => by * k)) }); // prettier-ignore
    const of = (id: string, createdAt: string, response: unknown) =>
      ({ ...taught({}), id, roundId: id, createdAt, learned: { ...learned, response } }) as unknown as Panorama;
    const rig = { id: 'k', name: 'Staithe head', statement: { learned: { poly: [0.1, 0], response: flat(0.03) } } };
    const rounds = ['a', 'b'].map((id) => ({ ...round, id, rigId: 'k', name: `Round ${id}` }));
    Object.assign(mockServer, { rigs: [rig], rounds, panoramas: [of('a', '2026-10-14', flat(0))] });
    const look = (response: unknown) => {
      const shown = show(<RigLearned round={rounds[1]} panorama={of('b', '2026-10-15', response)} />);
      fireEvent.press(screen.getByLabelText('What it taught of the rig'));
      return shown;
    };
    const first = look(flat(0));
    expect(screen.getByText('Response as in Round a before')).toBeTruthy();
    first.unmount();
    const second = look(flat(0.04));
    expect(screen.getByText(/^Response up to 0\.\d\d stop from what it was in Round a before$/)).toBeTruthy();
    second.unmount();
    // A round that told nothing of the response takes nothing away.
    look(null);
    expect(screen.queryByText(/^Response/)).toBeNull();
    fireEvent.press(screen.getByText('Begin with it next time: Staithe head'));
    expect(mockServer.saved.mock.lastCall![0].change.statement.learned).toMatchObject({
      poly: learned.poly,
      pupilMmPerM: 1.4,
      response: flat(0.03),
    });
    Object.assign(mockServer, { rigs: [], rounds: [], panoramas: [] });
  });
  test('what meters told of the rig is offered to the kit, beside what was known; what was predicted is not', () => {
    const before = { stops: -0.1, uncertaintyStops: 0.2, measuredOn: '2026-10-01', roundId: 'earlier' };
    const rig = { id: 'k', name: 'Staithe head', statement: { fovDeg: 185, sensitivity: before } };
    Object.assign(mockServer, { rigs: [rig] });
    // Half past midnight of the 15th where it was shot.
    const own = { ...round, rigId: 'k', shotAt: '2026-10-14T23:30:00.000Z' };
    const look = (provenance: 'measured' | 'predicted') =>
      show(
        <RigSensitivity
          round={own}
          unit={{ whiteLuminance: 1.2 / 2 ** 0.25, uncertaintyStops: 0.12, provenance }}
          zone="Europe/London"
        />,
      );
    const predicted = look('predicted');
    expect(screen.queryByTestId('rig-sensitivity')).toBeNull();
    predicted.unmount();
    look('measured');
    expect(
      screen.getByText(
        'The rig is +0.25 ± 0.12 stop off its nominal sensitivity; −0.10 ± 0.20 stop as measured 2026-10-01.',
      ),
    ).toBeTruthy();
    fireEvent.press(screen.getByText('Begin with it next time: Staithe head'));
    const { statement } = mockServer.saved.mock.lastCall![0].change;
    expect(statement).toMatchObject({ fovDeg: 185, sensitivity: { uncertaintyStops: 0.12, measuredOn: '2026-10-15', roundId: own.id } }); // prettier-ignore
    expect(statement.sensitivity.stops).toBeCloseTo(0.25, 6);
    Object.assign(mockServer, { rigs: [] });
  });
  test('a panorama that taught nothing says nothing', () => {
    show(<RigLearned round={round} panorama={{ id: 'p', roundId: 'r', learned: null } as unknown as Panorama} />);
    expect(screen.queryByText('What it taught of the rig')).toBeNull();
  });
});
