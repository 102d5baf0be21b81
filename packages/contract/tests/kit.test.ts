import { randomUUID } from 'node:crypto';
import type { z } from 'zod';
import {
  bodyInput,
  cameraClockInput,
  clockOfRig,
  clockOwner,
  dayInput,
  filterInput,
  instrumentInput,
  lensInput,
  locationInput,
  NEEDS,
  NEEDS_OF_KIND,
  panoramaRigInput,
  referenceObjectInput,
  rigSchema,
  SETUP_KINDS,
  setupInput,
  stationInput,
} from '../src';

const id = randomUUID();

/** Every change to a valid record with what is said about it, in the field where it belongs. */
type Wrong = [change: Record<string, unknown>, field: string, words: RegExp];

function wrongs(input: z.ZodType, valid: Record<string, unknown>, list: Wrong[]): void {
  test('a record as it should be is taken', () => {
    const parsed = input.safeParse(valid);
    expect(parsed.success ? '' : JSON.stringify(parsed.error.issues)).toBe('');
  });
  test.each(list)('%j is refused in %s', (change, field, words) => {
    const parsed = input.safeParse({ ...valid, ...change });
    expect(parsed.success).toBe(false);
    const issue = parsed.error!.issues.find((i) => i.path.join('.').startsWith(field));
    expect(issue?.message ?? parsed.error!.issues.map((i) => `${i.path.join('.')}: ${i.message}`).join()).toMatch(
      words,
    );
  });
}

const format = { name: '1920 full', gateWidthMm: 24.89, gateHeightMm: 14, widthPx: 1920, heightPx: 1080, maxFps: 60 };

describe('camera bodies', () =>
  wrongs(bodyInput, { id, name: 'Corrie 35', baseEi: 800, formats: [format] }, [
    [{ name: '  ' }, 'name', /must not be empty/],
    [{ name: 'x'.repeat(121) }, 'name', /longer than 120/],
    [{ id: '7' }, 'id', /UUID/i],
    [{ serial: 'x'.repeat(41) }, 'serial', /longer than 40/],
    [{ baseEi: 800.5 }, 'baseEi', /whole number/],
    [{ baseEi: 12 }, 'baseEi', /at least 25/],
    [{ baseEi: 409600 }, 'baseEi', /at most 102400/],
    [{ baseEi: 'fast' }, 'baseEi', /must be a number/],
    [{ formats: [] }, 'formats', /at least one recording format/],
    [{ formats: [{ ...format, gateWidthMm: 0 }] }, 'formats.0.gateWidthMm', /Gate width/],
    [{ formats: [{ ...format, gateHeightMm: 200 }] }, 'formats.0.gateHeightMm', /100/],
    [{ formats: [{ ...format, widthPx: 8 }] }, 'formats.0.widthPx', /at least 16 px/],
    [{ formats: [{ ...format, heightPx: 1080.5 }] }, 'formats.0.heightPx', /whole number/],
    [{ formats: [{ ...format, heightPx: 30000 }] }, 'formats.0.heightPx', /at most 20000/],
    [{ formats: [{ ...format, squeeze: 3 }] }, 'formats.0.squeeze', /up to 2 for anamorphic/],
    [{ formats: [{ ...format, squeeze: 0.5 }] }, 'formats.0.squeeze', /1 for spherical/],
    [{ formats: [{ ...format, maxFps: 0 }] }, 'formats.0.maxFps', /Maximum fps/],
  ]));

describe('lenses', () =>
  wrongs(
    lensInput,
    {
      id,
      name: 'Skerry zoom 24-70',
      kind: 'zoom',
      focalMinMm: 24,
      focalMaxMm: 70,
      tMin: 2.9,
      tMax: 22,
      closeFocusM: 0.6,
    },
    [
      [{ focalMinMm: 0 }, 'focalMinMm', /Focal length/],
      [{ focalMaxMm: 2001 }, 'focalMaxMm', /2000/],
      [{ focalMinMm: 80 }, 'focalMaxMm', /longest focal length is shorter/],
      [{ tMax: 2 }, 'tMax', /smallest stop is wider/],
      [{ tMin: -1 }, 'tMin', /Widest T-stop/],
      [{ kind: 'prime' }, 'kind', /A prime has one focal length/],
      [{ transmission: 0.01 }, 'transmission', /between 0.05 and 1/],
      [{ transmission: 1.2 }, 'transmission', /between 0.05 and 1/],
      [{ closeFocusM: 0 }, 'closeFocusM', /Close focus/],
      [{ projection: 'curved' }, 'projection', /./],
      [{ fovDeg: 400 }, 'fovDeg', /Field of view/],
      [{ entrancePupil: [{ focalMm: 24, distanceMm: 2000 }] }, 'entrancePupil.0.distanceMm', /Entrance pupil/],
      [{ distortion: { focalMm: 24, idealToDistorted: [0, 0, 0, 0], solvedOn: null } }, 'distortion', /./],
      [
        { distortion: { focalMm: 24, idealToDistorted: [11, 0, 0, 0, 0], solvedOn: null } },
        'distortion.idealToDistorted.0',
        /between -10 and 10/,
      ],
      [
        { distortion: { focalMm: 24, idealToDistorted: [0, 0, 0, 0, 0], solvedOn: '14.10.2026' } },
        'distortion.solvedOn',
        /YYYY-MM-DD/,
      ],
    ],
  ));

describe('filters', () =>
  wrongs(
    filterInput,
    { id, name: 'ND 0.6', kind: 'nd', density: 0.6, measuredDensity: [0.61, 0.6, 0.59], measuredOn: '2026-09-21' },
    [
      [{ density: -0.3 }, 'density', /not negative/],
      [{ density: 10 }, 'density', /at most 9/],
      [{ density: 'two stops' }, 'density', /must be a number/],
      [{ kind: 'gauze' }, 'kind', /./],
      [{ measuredDensity: [0.6, 0.6] }, 'measuredDensity', /./],
      [{ measuredDensity: [0.6, -1, 0.6] }, 'measuredDensity.1', /not negative/],
      [{ measuredOn: '2026-13-01' }, 'measuredOn', /YYYY-MM-DD/],
    ],
  ));

describe('instruments', () =>
  wrongs(instrumentInput, { id, name: 'Brass compass', kind: 'compass', bias: 1.5, sigma: 1 }, [
    [{ sigma: 0 }, 'sigma', /more than 0/],
    [{ sigma: 'steady' }, 'sigma', /must be a number/],
    [{ bias: null }, 'bias', /must be a number/],
    [{ kind: 'sextant' }, 'kind', /./],
    [{ receptor: 'round' }, 'receptor', /./],
    [{ constant: 0 }, 'constant', /./],
    [{ calibratedOn: 'yesterday' }, 'calibratedOn', /YYYY-MM-DD/],
  ]));

describe('reference objects', () => {
  wrongs(referenceObjectInput, { id, name: 'Grey card 18 %', kind: 'greyCard', reflectance: 0.18 }, [
    [{ reflectance: null }, 'reflectance', /0\.18 when it was never measured/],
    [{ reflectance: 0 }, 'reflectance', /more than 0/],
    [{ reflectance: 18 }, 'reflectance', /at most 1/],
    [{ kind: 'greyBall' }, 'diameterMm', /A ball needs its diameter/],
    [{ kind: 'chromeBall', diameterMm: 3000 }, 'diameterMm', /Diameter/],
    [{ kind: 'chart' }, 'patches', /24 patches/],
    [{ kind: 'chart', patches: Array.from({ length: 23 }, () => [0.1, 0.1, 0.1]) }, 'patches', /24 patches/],
    [{ kind: 'stick', heightM: 40 }, 'heightM', /Height/],
  ]);
  test('a chart of 24 patches and a ball with its diameter are whole', () => {
    expect(
      referenceObjectInput.safeParse({
        id,
        name: 'Chart',
        kind: 'chart',
        patches: Array.from({ length: 24 }, () => [0.1, 0.2, 0.3]),
      }).success,
    ).toBe(true);
    expect(referenceObjectInput.safeParse({ id, name: 'Ball', kind: 'chromeBall', diameterMm: 220 }).success).toBe(
      true,
    );
  });
});

describe('rigs', () => {
  const statement = { projection: 'equidistant', fovDeg: 185, views: 6 };
  wrongs(panoramaRigInput, { id, name: 'Six-way head', kind: 'bodyAndLens', bodyId: id, lensId: id, statement }, [
    [{ lensId: null }, 'bodyId', /names both/],
    [{ statement: { ...statement, views: 0 } }, 'statement.views', /At least one view/],
    [{ statement: { ...statement, views: 61 } }, 'statement.views', /At most 60/],
    [{ statement: { ...statement, fovDeg: 1 } }, 'statement.fovDeg', /more than 1 degree/],
    [{ statement: { ...statement, ndStops: 40 } }, 'statement.ndStops', /ND on the rig/],
    [{ statement: { ...statement, tiltDeg: 100 } }, 'statement.tiltDeg', /Tilt/],
    [{ statement: { ...statement, rows: [{ tiltDeg: 0, views: 4 }] } }, 'statement.rows', /must add up/],
    [
      { statement: { ...statement, rows: Array.from({ length: 10 }, () => ({ tiltDeg: 0, views: 1 })) } },
      'statement.rows',
      /At most 9 rows/,
    ],
    [
      { statement: { ...statement, glare: { curve: [{ angleDeg: 5, perSr: 0.1 }], measuredOn: null } } },
      'statement.glare.curve',
      /./,
    ],
    [
      {
        statement: {
          ...statement,
          glare: {
            curve: [
              { angleDeg: 5, perSr: -0.1 },
              { angleDeg: 9, perSr: 0 },
            ],
            measuredOn: null,
          },
        },
      },
      'statement.glare.curve.0.perSr',
      /not negative/,
    ],
  ]);
  test('rows with zenith and nadir, two circles, an anticlockwise head', () => {
    expect(
      rigSchema.safeParse({
        projection: 'rectilinear',
        fovDeg: 60,
        views: 14,
        rows: [
          { tiltDeg: 0, views: 12 },
          { tiltDeg: 90, views: 1 },
          { tiltDeg: -90, views: 1 },
        ],
        anticlockwise: true,
      }).success,
    ).toBe(true);
    expect(rigSchema.safeParse({ projection: 'equidistant', fovDeg: 200, views: 2, twoCircles: true }).success).toBe(
      true,
    );
  });
});

describe('places', () =>
  wrongs(locationInput, { id, name: 'Gannet Staithe', latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4 }, [
    [{ latitudeDeg: 91 }, 'latitudeDeg', /Latitude must be at most 90 degrees/],
    [{ longitudeDeg: -181 }, 'longitudeDeg', /Longitude/],
    [{ altitudeM: 9001 }, 'altitudeM', /Altitude/],
    [{ latitudeDeg: '52 N' }, 'latitudeDeg', /Latitude/],
    [{ skyline: [{ bearingDeg: 400, elevationDeg: 3 }] }, 'skyline.0.bearingDeg', /Bearing/],
    [{ skyline: [{ bearingDeg: 40, elevationDeg: 95 }] }, 'skyline.0.elevationDeg', /Elevation/],
    [{ zone: '' }, 'zone', /./],
  ]));

describe('days', () =>
  wrongs(
    dayInput,
    { id, locationId: id, number: 6, date: '2026-10-14', unit: 'Main', callLocal: '07:30', wrapLocal: '18:00' },
    [
      [{ date: '14/10/2026' }, 'date', /YYYY-MM-DD/],
      [{ date: '2026-02-30' }, 'date', /YYYY-MM-DD/],
      [{ callLocal: '7:30' }, 'callLocal', /Call is a time such as 07:30/],
      [{ wrapLocal: '24:00' }, 'wrapLocal', /Wrap is a time/],
      [{ number: 0 }, 'number', /count from 1/],
      [{ unit: '' }, 'unit', /must not be empty/],
      [{ locationId: 'quay' }, 'locationId', /./],
      [{ weather: 'x'.repeat(201) }, 'weather', /./],
    ],
  ));

describe('setups', () => {
  wrongs(
    setupInput,
    {
      id,
      dayId: id,
      name: 'Quay',
      slate: '14A',
      kind: 'exterior',
      lightCondition: 'sun out',
      plannedCg: 'A heron',
      lightAt: '2026-10-14T15:40:00Z',
    },
    [
      [{ slate: '' }, 'slate', /Slate must not be empty/],
      [{ slate: 'x'.repeat(13) }, 'slate', /longer than 12/],
      [{ kind: 'underwater' }, 'kind', /./],
      [{ lightCondition: ' ' }, 'lightCondition', /Light condition/],
      [{ needs: ['tea'] }, 'needs.0', /./],
      [{ driftLimitDeg: 0 }, 'driftLimitDeg', /Sun drift limit/],
      [{ ageLimitMin: 2000 }, 'ageLimitMin', /Age limit/],
      [{ cgHeightM: -1 }, 'cgHeightM', /Height/],
      [{ cgEastM: 20000 }, 'cgEastM', /East/],
      [{ lightAt: '16:40' }, 'lightAt', /./],
      [{ lightConditions: [{ name: '', from: null, to: null }] }, 'lightConditions.0.name', /Light condition/],
    ],
  );
  test('every kind of setup asks for a round first, and only for what there is', () => {
    for (const kind of SETUP_KINDS) {
      expect(NEEDS_OF_KIND[kind][0]).toBe('round');
      expect(new Set(NEEDS_OF_KIND[kind]).size).toBe(NEEDS_OF_KIND[kind].length);
      for (const need of NEEDS_OF_KIND[kind]) expect(Object.keys(NEEDS)).toContain(need);
    }
    // Lamps are asked for where there are some.
    expect(NEEDS_OF_KIND.interior).toContain('lampPositions');
    expect(NEEDS_OF_KIND.exterior).not.toContain('lampPositions');
  });
});

describe('clocks', () =>
  wrongs(cameraClockInput, { id, dayId: id, camera: 'A', offsetS: 3.4, source: 'entered' }, [
    [{ camera: 'AB' }, 'camera', /one letter/],
    [{ camera: 'a' }, 'camera', /one letter/],
    [{ offsetS: 90000 }, 'offsetS', /Clock offset/],
    [{ uncertaintyS: 0 }, 'uncertaintyS', /Uncertainty/],
    [{ source: 'guessed' }, 'source', /./],
    [{ referenceId: 'photo' }, 'referenceId', /./],
    [{ rigId: id }, 'rigId', /one of camera Rig/],
  ]));

describe('whose clock a round goes by', () => {
  const [head, other] = [randomUUID(), randomUUID()];
  const clock = (camera: string, rigId: string | null) => ({ camera, rigId });
  test("its own rig's, whatever else is known", () => {
    const clocks = [clock('A', null), clock('Rig', null), clock('Rig', other), clock('Rig', head)];
    expect(clockOfRig(clocks, head)).toBe(clocks[3]);
    expect(clockOfRig(clocks, other)).toBe(clocks[2]);
    expect(clockOfRig(clocks, null)).toBe(clocks[1]);
  });
  test('one that was logged for no rig by name, as long as none of that day was', () => {
    expect(clockOfRig([clock('Rig', null)], head)).toEqual(clock('Rig', null));
    expect(clockOfRig([clock('Rig', null), clock('Rig', other)], head)).toBeNull();
    expect(clockOfRig([clock('Rig', other)], null)).toBeNull();
    expect(clockOfRig([clock('A', null)], head)).toBeNull();
  });
  test('is said by the name in the kit', () => {
    const kit = [{ id: head, name: 'Staithe head' }];
    expect(clockOwner(clock('B', null), kit)).toBe('camera B');
    expect(clockOwner(clock('Rig', null), kit)).toBe('panorama rig');
    expect(clockOwner(clock('Rig', head), kit)).toBe('panorama rig Staithe head');
    expect(clockOwner(clock('Rig', other), kit)).toBe('panorama rig that is no longer in the kit');
  });
});

describe('stations', () =>
  wrongs(stationInput, { id, setupId: id, name: 'Station 1', eastM: 0, northM: 0, heightM: 1.62 }, [
    [{ eastM: 10001 }, 'eastM', /East/],
    [{ northM: 'ten' }, 'northM', /North/],
    [{ heightM: -60 }, 'heightM', /Height/],
    [{ heightM: null }, 'heightM', /Height/],
    [{ name: '' }, 'name', /must not be empty/],
  ]));
