import * as fc from 'fast-check';
import {
  anglesFromDirection,
  apartM,
  directionFromAngles,
  mostShiftDeg,
  offsetInWorld,
  shiftSeen,
  stationFromCamera,
  wrap180,
} from '../src';

const STATION = { id: 'a', eastM: 2, northM: 5, heightM: 1.6 };
const placed = { eastM: 1, northM: 1, heightM: 1.2, stationOffset: null };

test('two metres apart and ten away: eleven degrees', () => {
  expect(mostShiftDeg(2, 10)).toBeCloseTo(11.3, 1);
});

test('what was paced stands before the plan; of another station, or without a place, nothing is told', () => {
  const paced = { ...placed, stationOffset: { stationId: 'a', aheadM: 3, rightM: -4, upM: 0, withinM: 0.3 } };
  expect(apartM(paced, STATION)).toEqual({ metres: 5, from: 'paced' });
  expect(apartM(paced, { ...STATION, id: 'b' })).toEqual({ metres: Math.hypot(1, 4, 0.4), from: 'plan' });
  expect(stationFromCamera(paced, STATION, null)).toEqual({ aheadM: 3, rightM: -4, upM: 0 });
  expect(apartM({ ...placed, northM: null }, STATION)).toBeNull();
  expect(stationFromCamera({ ...placed, eastM: null }, STATION, 0)).toBeNull();
  expect(stationFromCamera(placed, STATION, null)).toBeNull();
  expect(stationFromCamera({ ...placed, heightM: null }, STATION, 10)).toBeNull();
});

test('by the plan the way to the station is the plan’s, whichever way the camera looks', () => {
  fc.assert(
    fc.property(fc.double({ min: -360, max: 360, noNaN: true }), (headingDeg) => {
      const offset = stationFromCamera(placed, STATION, headingDeg)!;
      const [x, y, z] = offsetInWorld(offset, headingDeg);
      expect(x).toBeCloseTo(1, 9);
      expect(y).toBeCloseTo(0.4, 9);
      expect(-z).toBeCloseTo(4, 9);
    }),
  );
  // A station due ahead of a camera that looks east.
  const east = stationFromCamera(placed, { ...STATION, eastM: 4, northM: 1 }, 90)!;
  expect([east.aheadM, east.rightM]).toEqual([expect.closeTo(3, 9), expect.closeTo(0, 9)]);
});

test('a thing is seen from the station where it stands from there, and where it was when it is far', () => {
  // Station 2 m to the right; a thing 10 m straight ahead stands to the left of straight ahead there.
  const right = { aheadM: 0, rightM: 2, upM: 0 };
  expect(shiftSeen(right, [0, 0, -1], 10).rightDeg).toBeCloseTo(-11.31, 2);
  expect(shiftSeen({ aheadM: 0, rightM: 0, upM: 1 }, [0, 0, -1], 10).upDeg).toBeCloseTo(-5.71, 2);
  fc.assert(
    fc.property(
      fc.record({ aheadM: fc.double({ min: -3, max: 3, noNaN: true }), rightM: fc.double({ min: -3, max: 3, noNaN: true }), upM: fc.double({ min: -1, max: 1, noNaN: true }) }), // prettier-ignore
      fc.double({ min: -170, max: 170, noNaN: true }),
      fc.double({ min: -40, max: 40, noNaN: true }),
      fc.double({ min: 5, max: 200, noNaN: true }),
      (offset, azimuthDeg, elevationDeg, distanceM) => {
        const ray = directionFromAngles(azimuthDeg, elevationDeg);
        const { rightDeg, upDeg } = shiftSeen(offset, ray, distanceM);
        const apart = Math.hypot(offset.aheadM, offset.rightM, offset.upM);
        const seen = directionFromAngles(azimuthDeg + rightDeg, elevationDeg + upDeg);
        const turn = anglesFromDirection(seen);
        expect(Math.abs(wrap180(turn.azimuthDeg - azimuthDeg - rightDeg))).toBeLessThan(1e-6);
        // Never by more than the whole way between the two, seen square on.
        const arc = Math.acos(Math.min(1, ray[0] * seen[0] + ray[1] * seen[1] + ray[2] * seen[2]));
        expect(arc).toBeLessThanOrEqual(Math.asin(Math.min(1, apart / distanceM)) + 1e-6);
        expect(Math.abs(shiftSeen(offset, ray, 1e7).rightDeg)).toBeLessThan(1e-4);
      },
    ),
  );
});
