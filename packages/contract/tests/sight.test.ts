import { randomUUID } from 'node:crypto';
import { plateStrokesInput, sightInput } from '../src';

const seen = { panoramaAzimuthDeg: 10, panoramaElevationDeg: -3, name: 'Mast' };
const said = (value: unknown) => {
  const read = sightInput.safeParse({ plateId: null, ...(value as object) });
  return read.success ? null : read.error.issues.map((i) => `${i.path.join('.')}: ${i.message}`).join('; ');
};

test('a mark is one of the plan, or states where it lies and how surely', () => {
  expect(said({ marks: [{ ...seen, planMarkId: randomUUID() }] })).toBeNull();
  expect(said({ marks: [{ ...seen, azimuthDeg: 60, elevationDeg: 2, uncertaintyDeg: 0.3 }] })).toBeNull();
  const half = 'marks.0.azimuthDeg: State direction and uncertainty of a mark that is not on the plan';
  expect(said({ marks: [seen] })).toBe(half);
  expect(said({ marks: [{ ...seen, azimuthDeg: 60, elevationDeg: 2 }] })).toBe(half);
});

test('what nobody tapped says nothing of how well it was pointed at', () => {
  const pick = { panoramaAzimuthDeg: 10, panoramaElevationDeg: -3, xPx: 1, yPx: 2 };
  const read = sightInput.parse({ plateId: randomUUID(), picks: [pick], sunAt: { panoramaAzimuthDeg: 1, panoramaElevationDeg: 2 } }); // prettier-ignore
  expect(read.picks[0]).toMatchObject({ withinPx: null, withinDeg: null, distanceM: null });
  expect(read.sunAt).toMatchObject({ withinDeg: null, partly: false });
  expect(said({ picks: [{ ...pick, withinDeg: 0 }] })).toMatch(/picks\.0\.withinDeg/);
});

test('strokes are of a kind, at least one family of them, and a length has a size', () => {
  const family = { kind: 'vertical', strokes: [[0, 0, 0, 10]] };
  expect(plateStrokesInput.parse({ families: [family] })).toMatchObject({ knownLength: null });
  const words = (value: object) =>
    plateStrokesInput
      .safeParse(value)
      .error?.issues.map((i) => i.message)
      .join();
  expect(words({ families: [] })).toBe('Draw a stroke first');
  expect(words({ families: [{ ...family, kind: 'slanted' }] })).toBe('A family of strokes is vertical, level or free');
  const length = { from: [0, 0], to: [1, 1], lengthM: 0, lying: 'ground' };
  expect(words({ families: [family], knownLength: length })).toBe('A length is more than 0 m');
});
