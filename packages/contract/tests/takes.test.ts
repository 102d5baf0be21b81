import {
  bodyInput,
  changedByHand,
  changeOf,
  countUp,
  filterInput,
  lensInput,
  locationInput,
  nextSlate,
  slateParts,
  type FilterRecord,
  nextTake,
  stationInput,
  takeFaults,
  takeInput,
  type CameraBody,
  type LensRecord,
  type TakeInput,
} from '../src';

const common = { version: 1, createdAt: '', updatedAt: '' };
const body: CameraBody = {
  ...common,
  ...bodyInput.parse({
    id: '6f1c9c1e-0000-4000-8000-000000000001',
    name: 'Corrie 35',
    baseEi: 800,
    formats: [{ name: 'full', gateWidthMm: 24.89, gateHeightMm: 14, widthPx: 1920, heightPx: 1080, maxFps: 60 }],
  }),
};
const zoom: LensRecord = {
  ...common,
  ...lensInput.parse({
    id: '6f1c9c1e-0000-4000-8000-000000000002',
    name: 'Skerry zoom',
    kind: 'zoom',
    focalMinMm: 24,
    focalMaxMm: 70,
    tMin: 2.9,
    tMax: 22,
    closeFocusM: 0.6,
  }),
};
const nd6: FilterRecord = {
  ...common,
  ...filterInput.parse({ id: '6f1c9c1e-0000-4000-8000-000000000009', name: 'ND 0.6', kind: 'nd', density: 0.6 }),
};
const take: TakeInput = takeInput.parse({
  id: '6f1c9c1e-0000-4000-8000-000000000003',
  setupId: '6f1c9c1e-0000-4000-8000-000000000004',
  slate: '14A',
  take: 3,
  camera: 'A',
  status: 'circled',
  bodyId: body.id,
  formatName: 'full',
  lensId: zoom.id,
  focalLengthMm: 35,
  tStop: 4,
  ei: 800,
  shutterAngleDeg: 180,
  fps: 24,
  whiteBalanceK: 5600,
  ndStops: 2,
  heightM: 1.5,
  tiltDeg: 0,
  headingDeg: 10,
  focusM: 3,
  eastM: 0,
  northM: 0,
  shotAt: '2026-10-14T15:20:00Z',
  notes: 'gull in shot',
  clip: 'roll4-12',
  timecodeRate: 24,
});

test('a possible take has no faults', () => {
  expect(takeInput.parse(take)).toEqual(take);
  expect(takeFaults(take, body, zoom)).toEqual([]);
});

test.each([
  [{ tStop: 2 }, 'tStop', /opens to T2.9/],
  [{ tStop: 32 }, 'tStop', /closes to T22/],
  [{ focalLengthMm: 85 }, 'focalLengthMm', /24 to 70 mm zoom; 85 mm/],
  [{ fps: 96 }, 'fps', /runs to 60 fps/],
  [{ focusM: 0.3 }, 'focusM', /no nearer than 0.6 m/],
  [{ formatName: 'other' }, 'formatName', /does not record other/],
  [{ timecodeIn: '10:00:00:24' }, 'timecodeIn', /frames run from 00 to 23/],
  [{ timecodeIn: '10:00:00;02' }, 'timecodeIn', /no drop-frame timecode at 24/],
  [{ timecodeIn: '10:00:00:02', timecodeRate: null }, 'timecodeRate', /needs its rate/],
  [{ changes: [{ field: 'focalLengthMm', at: 'end', value: 85 }] }, 'changes', /a zoom to 85 mm/],
  [{ changes: [{ field: 'focusM', at: 2.5, value: 0.2 }] }, 'changes', /nearer than/],
] as [Partial<TakeInput>, keyof TakeInput, RegExp][])('%j is objected to', (change, field, message) => {
  const faults = takeFaults({ ...take, ...change }, body, zoom);
  expect(faults).toEqual([{ field, message: expect.stringMatching(message) }]);
});

test.each([
  [{ shutterAngleDeg: -1 }, 'Shutter angle must be more than 0 degrees'],
  [{ shutterAngleDeg: 361 }, 'Shutter angle must be at most 360 degrees'],
  [{ take: 0 }, 'Takes count from 1'],
  [{ camera: 'AB' }, 'The camera is one letter, A to Z'],
  [{ heightM: Number.NaN }, 'Lens height must be a number'],
])('shape: %j', (change, message) => {
  const result = takeInput.safeParse({ ...take, ...change });
  expect(result.success ? [] : result.error.issues.map((i) => i.message)).toContain(message);
});

test('the next take is a copy, one number on, without what belongs to one take alone', () => {
  const last: TakeInput = {
    ...take,
    timecodeIn: '10:00:00:00',
    changes: [{ field: 'focusM', at: 'end', value: 2 }],
    fromFile: { tStop: 'a.jpg' },
  };
  expect(nextTake(last, 'new', { shotAt: '2026-10-14T15:25:00Z', shotAtFrom: 'assumed' })).toEqual({
    ...take,
    id: 'new',
    take: 4,
    status: 'good',
    clip: 'roll4-13',
    shotAt: '2026-10-14T15:25:00Z',
    shotAtFrom: 'assumed',
    notes: '',
  });
});

test('ND of the filters named must be the ND of the take', () => {
  expect(takeFaults(take, body, zoom, [nd6])).toEqual([]);
  expect(takeFaults({ ...take, ndStops: 0 }, body, zoom, [nd6])).toEqual([
    { field: 'ndStops', message: expect.stringMatching(/add up to 2.0 stops/) },
  ]);
});

test.each([
  ['14', '14A'],
  ['14A', '14B'],
  ['14H', '14J'],
  ['14N', '14P'],
  ['14Z', '14AA'],
  ['14AZ', '14BA'],
  ['pick-up 3', 'pick-up 3'],
])('the setup after %s is %s', (slate, next) => {
  expect(nextSlate(slate)).toBe(next);
});

test('scene and setup letter', () => {
  expect(slateParts('14a')).toEqual({ scene: '14', setup: 'A' });
  expect(slateParts('A14')).toBeNull();
  expect(countUp('B009')).toBe('B010');
  expect(countUp('none')).toBe('none');
});

test('a change names the version that was seen', () => {
  const change = changeOf(stationInput);
  expect(change.parse({ heightM: 2, version: 3 })).toEqual({ heightM: 2, version: 3 });
  expect(change.safeParse({ heightM: 2 }).success).toBe(false);
  // A default is for what is new: a change leaves alone what it does not name.
  expect(changeOf(takeInput).parse({ version: 1, notes: 'x' })).toEqual({ version: 1, notes: 'x' });
});

test('a place must be on Earth', () => {
  const place = { id: take.id, name: 'x', latitudeDeg: 52, longitudeDeg: 1, altitudeM: 0 };
  expect(locationInput.safeParse(place).success).toBe(true);
  for (const bad of [{ latitudeDeg: 120 }, { longitudeDeg: 190 }, { altitudeM: 20000 }, { latitudeDeg: '52' }])
    expect(locationInput.safeParse({ ...place, ...bad }).success).toBe(false);
});

describe('cells that came from a file', () => {
  const filled = { ...take, fromFile: { ei: 'still.dng', focusM: 'still.dng' } };
  test("one that is set by hand is the file's no longer, the others stay", () => {
    expect(changedByHand(filled, { ei: 400, notes: 'x' })).toEqual({
      ei: 400,
      notes: 'x',
      fromFile: { focusM: 'still.dng' },
    });
  });
  test('emptied by hand counts as set', () => {
    expect(changedByHand(filled, { focusM: null })).toEqual({ focusM: null, fromFile: { ei: 'still.dng' } });
  });
  test('a change of other cells says nothing about files', () => {
    expect(changedByHand(filled, { tStop: 8 })).toEqual({ tStop: 8 });
  });
  test('what a file fills keeps its name', () => {
    const part = { ei: 1600, fromFile: { ei: 'other.dng' } };
    expect(changedByHand(filled, part)).toBe(part);
  });
});
