import {
  bodyInput,
  lampInput,
  lensInput,
  NEEDS_OF_KIND,
  setupInput,
  takeInput,
  type LensRecord,
  type Setup,
  type Take,
} from '@tawny/contract';
import { gapsOf, GAP_RULES, newestIn, type RoundFacts, type SetupFacts } from '../src/setups/gapRules';

const id = (n: number) => `6f1c9c1e-0000-4000-8000-0000000000${String(n).padStart(2, '0')}`;
const stamp = { version: 1, createdAt: '', updatedAt: '' };
const body = bodyInput.parse({
  id: id(1),
  name: 'Corrie 35',
  baseEi: 800,
  formats: [{ name: 'full', gateWidthMm: 24.89, gateHeightMm: 14, widthPx: 1920, heightPx: 1080, maxFps: 60 }],
});
const prime: LensRecord = {
  ...stamp,
  ...lensInput.parse({
    id: id(2),
    name: 'Prime 32',
    kind: 'prime',
    focalMinMm: 32,
    focalMaxMm: 32,
    tMin: 2,
    tMax: 22,
    closeFocusM: 0.4,
  }),
};
const zoom: LensRecord = {
  ...stamp,
  ...lensInput.parse({
    id: id(3),
    name: 'Zoom',
    kind: 'zoom',
    focalMinMm: 24,
    focalMaxMm: 70,
    tMin: 2.9,
    tMax: 22,
    closeFocusM: 0.6,
  }),
};
const setup = (more: object = {}): Setup => ({
  ...stamp,
  ...setupInput.parse({
    id: id(4),
    dayId: id(5),
    name: 'Quay',
    slate: '14A',
    kind: 'exterior',
    lightCondition: 'sun out',
    plannedCg: '',
    lightAt: null,
    needs: [...NEEDS_OF_KIND.exterior],
    ...more,
  }),
});
const take = (more: object = {}): Take => ({
  ...stamp,
  pictureCamera: null,
  ...takeInput.parse({
    id: id(6),
    setupId: id(4),
    slate: '14A',
    take: 1,
    camera: 'A',
    status: 'good',
    bodyId: body.id,
    formatName: 'full',
    lensId: prime.id,
    focalLengthMm: 32,
    tStop: 8,
    ei: 800,
    shutterAngleDeg: 180,
    fps: 24,
    whiteBalanceK: 5600,
    ndStops: 0,
    heightM: 1.5,
    tiltDeg: 0,
    headingDeg: 8,
    focusM: 3,
    eastM: 0,
    northM: 0,
    lightCondition: 'sun out',
    shotAt: '2026-10-14T15:00:00Z',
    notes: '',
    ...more,
  }),
});
const round = (at: string, more: Partial<RoundFacts> = {}, condition = 'sun out'): RoundFacts => ({
  round: { id: id(7), name: 'Round 1', lightCondition: condition, shotAt: at },
  frames: 42,
  panorama: {
    id: id(8),
    sun: { clipped: false },
    framesPerView: 7,
  },
  north: true,
  gain: true,
  stale: { panorama: [], calibration: [] },
  ...more,
});
const facts = (more: Partial<SetupFacts> = {}): SetupFacts => ({
  setup: setup(),
  location: { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4 },
  takes: [],
  rounds: [],
  references: [],
  gridLenses: new Set(),
  lenses: [prime, zoom],
  lamps: [],
  readings: [],
  eyeLines: [],
  handoffs: [],
  lightEnds: () => new Date('2026-10-14T16:00:00Z'),
  wrap: new Date('2026-10-14T16:30:00Z'),
  now: new Date('2026-10-14T13:00:00Z'),
  ...more,
});
const names = (f: SetupFacts) => gapsOf(f).map((g) => g.rule);
const every = ['greyCard', 'chart', 'greyBall', 'chromeBall', 'cleanPlate'].map((kind) => ({
  kind: kind as 'greyCard',
  lightCondition: 'sun out',
}));

test('a complete setup has no gaps', () => {
  expect(
    gapsOf(
      facts({
        takes: [take()],
        rounds: [round('2026-10-14T15:05:00Z')],
        references: every,
        gridLenses: new Set([prime.id]),
        handoffs: [{ id: id(9) }],
      }),
    ),
  ).toEqual([]);
});

test('what goes with the light stands before what goes with the day, and that before what can wait', () => {
  const gaps = gapsOf(facts());
  expect(gaps[0]).toMatchObject({
    rule: 'round',
    urgency: 'today',
    lostAt: '2026-10-14T16:00:00.000Z',
    action: { title: 'Shoot the round' },
  });
  const order = gaps.map((g) => g.lostAt ?? 'never');
  expect([...order].sort((a, b) => (a === 'never' ? 1 : b === 'never' ? -1 : a.localeCompare(b)))).toEqual(order);
  expect(gaps.find((g) => g.rule === 'cleanPlate')!.lostAt).toBe('2026-10-14T16:30:00.000Z');
});

test('an hour before the end it is now; a setup marked done has run out of time', () => {
  expect(gapsOf(facts({ now: new Date('2026-10-14T15:10:00Z') }))[0].urgency).toBe('now');
  expect(gapsOf(facts({ setup: setup({ done: true }) }))[0].urgency).toBe('now');
});

test('what went with its light is gone and stands last: it is neither to be hurried for, nor before what still can be had', () => {
  const cloud = new Date('2026-10-14T15:58:00Z');
  const f = facts({
    takes: [take(), take({ id: id(10), take: 2, lightCondition: 'cloud over' })],
    now: new Date('2026-10-14T16:05:00Z'),
    lightEnds: (condition) => (condition === 'cloud over' ? cloud : null),
  });
  const gaps = gapsOf(f);
  const rounds = gaps.filter((g) => g.rule === 'round').map(({ what, urgency, lostAt }) => ({ what, urgency, lostAt }));
  expect(rounds).toEqual([
    { what: 'a round in "sun out"', urgency: 'now', lostAt: f.wrap.toISOString() },
    { what: 'a round in "cloud over"', urgency: 'gone', lostAt: cloud.toISOString() },
  ]);
  const kinds = gaps.map((g) => g.urgency);
  expect(kinds.slice(kinds.indexOf('gone'))).toEqual(kinds.filter((k) => k === 'gone'));
  expect(gaps.findIndex((g) => g.urgency === 'later')).toBeLessThan(kinds.indexOf('gone'));
  // Done or not: nobody can hurry for it.
  expect(gapsOf({ ...f, setup: setup({ done: true }) }).filter((g) => g.urgency === 'gone')).toHaveLength(
    kinds.filter((k) => k === 'gone').length,
  );
});

test('an end that was only said is a plan: it hurries, and nothing is gone by it', () => {
  const said = new Date('2026-10-14T15:58:00Z');
  const f = facts({
    setup: setup({ lightConditions: [{ name: 'sun out', from: null, to: said.toISOString() }] }),
    now: new Date('2026-10-14T16:05:00Z'),
    lightEnds: () => said,
  });
  expect(gapsOf(f)[0]).toMatchObject({ rule: 'round', urgency: 'now', lostAt: said.toISOString() });
  expect(gapsOf(f).some((g) => g.urgency === 'gone')).toBe(false);
});

test('a light was seen last in its newest take or round', () => {
  const f = facts({ takes: [take({ lightCondition: '' })], rounds: [round('2026-10-14T15:05:00Z')] });
  expect(newestIn(f, 'sun out')).toEqual(new Date('2026-10-14T15:05:00Z'));
  expect(newestIn({ ...f, rounds: [] }, 'sun out')).toEqual(new Date('2026-10-14T15:00:00Z'));
  const planned = round('2026-10-14T17:30:00Z', { frames: 0 });
  expect(newestIn({ ...f, rounds: [...f.rounds, planned] }, 'sun out')).toEqual(new Date('2026-10-14T15:05:00Z'));
  expect(newestIn(f, 'cloud over')).toBeNull();
});

test('every light condition that has takes wants its own round and references', () => {
  const f = facts({
    takes: [take(), take({ id: id(10), take: 2, lightCondition: 'cloud over' })],
    rounds: [round('2026-10-14T15:05:00Z')],
    references: every,
  });
  expect(
    gapsOf(f)
      .filter((g) => g.rule === 'round')
      .map((g) => g.what),
  ).toEqual(['a round in "cloud over"']);
  expect(
    gapsOf(f)
      .filter((g) => g.rule === 'chart')
      .map((g) => g.what),
  ).toEqual(['colour chart in "cloud over"']);
});

test('a round goes stale by sun drift outside, by time inside', () => {
  const late = [take({ shotAt: '2026-10-14T15:00:00Z' })];
  expect(names(facts({ takes: late, rounds: [round('2026-10-14T14:55:00Z')] }))).not.toContain('staleRound');
  expect(
    gapsOf(facts({ takes: late, rounds: [round('2026-10-14T14:45:00Z')] })).find((g) => g.rule === 'staleRound')!
      .reason,
  ).toMatch(/the sun moved 3\.\d° between Round 1 and 14A\/1A \(limit 2°\)/);
  const inside = setup({ kind: 'interior' });
  expect(names(facts({ setup: inside, takes: late, rounds: [round('2026-10-14T14:45:00Z')] }))).not.toContain(
    'staleRound',
  );
  expect(
    gapsOf(facts({ setup: inside, takes: late, rounds: [round('2026-10-14T13:45:00Z')] })).find(
      (g) => g.rule === 'staleRound',
    )!.reason,
  ).toMatch(/75 min older/);
});

test('missing height and tilt, a focal length off the barrel, a lens without grid', () => {
  const f = facts({ takes: [take({ heightM: null, tiltDeg: null, lensId: zoom.id, focalLengthMm: 35 })] });
  expect(gapsOf(f).map((g) => g.what)).toEqual(
    expect.arrayContaining(['height and tilt of 14A/1A', 'a measured focal length of 14A/1A', 'a lens grid of Zoom']),
  );
  expect(names(facts({ takes: [take({ lensId: zoom.id, focalLengthMm: 35, focalMeasured: true })] }))).not.toContain(
    'zoomFocal',
  );
});

test('lamps without position, and no lamp at all, where the setup needs them', () => {
  const lamp = (more: object) => ({
    ...stamp,
    ...lampInput.parse({
      id: id(11),
      setupId: id(4),
      name: 'Soft box',
      kind: 'softbox',
      role: 'key',
      onIn: ['lamps on'],
      ...more,
    }),
  });
  const inside = setup({ kind: 'interior', needs: ['lampPositions', 'luxReading', 'eyeLine'] });
  expect(names(facts({ setup: inside }))).toEqual(expect.arrayContaining(['lampPositions', 'luxReading', 'eyeLine']));
  expect(gapsOf(facts({ setup: inside, lamps: [lamp({})] })).find((g) => g.rule === 'lampPositions')!.what).toBe(
    'the position of Soft box',
  );
  expect(names(facts({ setup: inside, lamps: [lamp({ eastM: 1, northM: 1, heightM: 2 })] }))).not.toContain(
    'lampPositions',
  );
});

test('a panorama that lost its highlights is called so while the light stands', () => {
  const clipped = round('2026-10-14T15:00:00Z');
  clipped.panorama!.sun!.clipped = true;
  expect(gapsOf(facts({ rounds: [clipped] })).find((g) => g.rule === 'clippedSun')!.lostAt).toBe(
    '2026-10-14T16:00:00.000Z',
  );
  expect(
    names(facts({ rounds: [round('2026-10-14T15:00:00Z', { panorama: { id: id(8), sun: null, framesPerView: 1 } })] })),
  ).toContain('singleExposure');
});

test('needs decide which rules are asked; every rule has a name of its own', () => {
  expect(names(facts({ setup: setup({ needs: ['greyCard'] }) })).filter((n) => n !== 'take')).toEqual(['greyCard']);
  expect(new Set(GAP_RULES.map((r) => r.name)).size).toBe(GAP_RULES.length);
});

test('what a panorama lacks is measured on it, not on the one that the day suggests', () => {
  const f = facts({
    rounds: [
      round('2026-10-14T15:00:00Z', { north: false, gain: false, stale: { panorama: [], calibration: ['place'] } }),
    ],
  });
  const measured = gapsOf(f).filter((g) => ['north', 'exposure', 'stale'].includes(g.rule));
  expect(measured.map((g) => g.action.path)).toEqual(Array(3).fill(`/measure?setup=${f.setup.id}&panorama=${id(8)}`));
});

test('what has changed under a result is said once, where it begins', () => {
  const of = (stale: RoundFacts['stale']) =>
    gapsOf(facts({ rounds: [round('2026-10-14T15:00:00Z', { stale })] })).filter((g) => g.rule === 'stale');
  expect(of({ panorama: [], calibration: [] })).toEqual([]);
  expect(of({ panorama: [], calibration: ['place', 'time of the round'] })).toMatchObject([
    { what: 'Round 1 measured again', reason: 'place, time of the round changed since', lostAt: null },
  ]);
  // Built anew it is measured anew.
  expect(of({ panorama: ['rig'], calibration: ['rig'] }).map((g) => g.what)).toEqual(['Round 1 built again']);
});
