import { randomUUID } from 'node:crypto';
import {
  codeOf,
  productionInput,
  buildInput,
  eyeLineInput,
  importPanoramaInput,
  lampInput,
  lensInput,
  panoramaRigInput,
  planMeasureInput,
  readingInput,
  rigSchema,
  roundInput,
  simulatedPhoneInput,
  viewCheckSchema,
} from '../src';

const messages = (result: { success: boolean; error?: { issues: { message: string }[] } }) =>
  result.success ? '' : result.error!.issues.map((i) => i.message).join('; ');
const id = randomUUID();

describe('rounds and rigs', () => {
  const rig = { projection: 'rectilinear', fovDeg: 60, views: 9 };
  test('rows must add up to the views', () => {
    expect(
      rigSchema.safeParse({
        ...rig,
        rows: [
          { tiltDeg: 0, views: 8 },
          { tiltDeg: 90, views: 1 },
        ],
      }).success,
    ).toBe(true);
    expect(messages(rigSchema.safeParse({ ...rig, rows: [{ tiltDeg: 0, views: 8 }] }))).toMatch(/rows must add up/);
    expect(messages(rigSchema.safeParse({ ...rig, views: 2.5 }))).toMatch(/whole numbers/);
    expect(messages(rigSchema.safeParse({ ...rig, fovDeg: 400 }))).toMatch(/at most 360/);
  });
  test('what the server found in the views is not written by a client', () => {
    const parsed = roundInput.parse({
      id,
      stationId: id,
      name: 'Round 1',
      lightCondition: 'sun out',
      shotAt: '2026-10-14T15:40:00Z',
      rig,
      viewChecks: [],
    });
    expect('viewChecks' in parsed).toBe(false);
    expect(
      viewCheckSchema.safeParse({
        frames: [id],
        verdict: 'perfect',
        findings: [],
        clippedSr: 0,
        starvedShare: 0,
        movedShare: 0,
        shakePx: 0,
      }).success,
    ).toBe(false);
  });
  test('a rig of body and lens names both', () => {
    const rigRecord = { id, name: 'Quay rig', kind: 'bodyAndLens', statement: rig };
    expect(messages(panoramaRigInput.safeParse(rigRecord))).toMatch(/names both/);
    expect(panoramaRigInput.safeParse({ ...rigRecord, bodyId: id, lensId: id }).success).toBe(true);
    expect(panoramaRigInput.safeParse({ ...rigRecord, kind: 'oneShot' }).success).toBe(true);
  });
  test('a build is what a careful person would choose unless told otherwise', () => {
    expect(buildInput.parse({})).toEqual({
      widthPx: 4096,
      moved: true,
      camera: 'round',
      geometry: 'refined',
      nadir: 'keep',
      level: true,
      movedStops: 0.32,
      tripodDeg: 0,
      areas: [],
    });
    expect(buildInput.safeParse({ widthPx: 16384 }).success).toBe(true);
    expect(buildInput.safeParse({ widthPx: 16386 }).success).toBe(false);
    expect(buildInput.safeParse({ widthPx: 1001 }).success).toBe(false);
  });
  test('how a panorama lies comes as words of an address', () => {
    expect(importPanoramaInput.parse({ mirrored: 'true', upsideDown: 'false' })).toEqual({
      mirrored: true,
      upsideDown: false,
    });
    expect(importPanoramaInput.parse({})).toEqual({ mirrored: false, upsideDown: false });
    expect(importPanoramaInput.safeParse({ mirrored: 'perhaps' }).success).toBe(false);
  });
  test('a phone looks somewhere that exists', () => {
    expect(
      simulatedPhoneInput.safeParse({ headingDeg: 10, tiltDeg: 95, rollDeg: 0, fovDeg: 54, shutterS: null }).success,
    ).toBe(false);
    expect(
      simulatedPhoneInput.safeParse({ headingDeg: 10, tiltDeg: 5, rollDeg: 0, fovDeg: 54, shutterS: 1 / 500 }).success,
    ).toBe(true);
  });
});

describe('set records', () => {
  const reading = { id, setupId: id, takenAt: '2026-10-14T15:40:00Z' };
  test.each([
    ['lux', -5, /Lux|Illuminance|between/i],
    ['colourTemperature', 200, /between/],
    ['tilt', 120, /between/],
    ['compass', 400, /between/],
  ])('a reading of %s is checked in its own unit', (kind, shown, message) => {
    expect(messages(readingInput.safeParse({ ...reading, kind, shown }))).toMatch(message);
  });
  test('a lamp may lack its place, but not its kind', () => {
    const lamp = { id, setupId: id, name: 'Soft box', kind: 'softbox', role: 'key' };
    expect(lampInput.parse(lamp)).toMatchObject({ eastM: null, dimmerPercent: 100, onIn: [] });
    expect(lampInput.safeParse({ ...lamp, kind: 'candle' }).success).toBe(false);
    expect(messages(lampInput.safeParse({ ...lamp, dimmerPercent: 130 }))).toMatch(/Dimmer/);
  });
  test('a measurement goes from one mark to another', () => {
    const measure = { id, setupId: id, fromMarkId: id, toMarkId: id, kind: 'distance', value: 3, sigma: 0.02 };
    expect(messages(planMeasureInput.safeParse(measure))).toMatch(/from one mark to another/);
    expect(planMeasureInput.safeParse({ ...measure, toMarkId: randomUUID() }).success).toBe(true);
    expect(messages(planMeasureInput.safeParse({ ...measure, toMarkId: randomUUID(), sigma: 0 }))).toMatch(
      /more than 0/,
    );
  });
  test('an eye line wants both ends', () => {
    const point = { eastM: 0, northM: 0, heightM: 1.7 };
    expect(eyeLineInput.safeParse({ id, setupId: id, who: 'Ferryman', eye: point, target: point }).success).toBe(true);
    expect(eyeLineInput.safeParse({ id, setupId: id, who: 'Ferryman', eye: point }).success).toBe(false);
  });
});

describe('lenses', () => {
  const lens = { id, name: 'Skerry prime 32', focalMinMm: 32, focalMaxMm: 32, tMin: 1.8, tMax: 22, closeFocusM: 0.3 };
  test('a prime has one focal length, a zoom climbs, stops close', () => {
    expect(lensInput.safeParse(lens).success).toBe(true);
    expect(messages(lensInput.safeParse({ ...lens, focalMaxMm: 50 }))).toMatch(/prime has one focal length/);
    expect(messages(lensInput.safeParse({ ...lens, kind: 'zoom', focalMaxMm: 24 }))).toMatch(
      /shorter than the shortest/,
    );
    expect(messages(lensInput.safeParse({ ...lens, tMax: 1 }))).toMatch(/wider than the widest/);
  });
  test('a solved distortion has five coefficients', () => {
    const distortion = { focalMm: 32, idealToDistorted: [-0.08, 0.02, 0, 0, 0], solvedOn: '2026-10-14' };
    expect(lensInput.parse({ ...lens, distortion }).distortion).toEqual(distortion);
    expect(lensInput.safeParse({ ...lens, distortion: { ...distortion, idealToDistorted: [0.1] } }).success).toBe(
      false,
    );
    expect(lensInput.safeParse({ ...lens, distortion: { ...distortion, solvedOn: 'yesterday' } }).success).toBe(false);
  });
});

test('a code follows a title: initials and the end of the last word, one word as it is, never more than eight', () => {
  const codes = ['The Tin Heron', 'Gannet', 'Märchen vom Reiher', 'A Very Long Title Of Many Many Words', '  ', '東京'];
  expect(codes.map(codeOf)).toEqual(['THER', 'GANNET', 'MVREI', 'VLTMMWOR', '', '']);
  for (const code of codes.map(codeOf).filter(Boolean))
    expect(productionInput.shape.code.safeParse(code).success).toBe(true);
});
