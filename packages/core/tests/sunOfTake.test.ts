import {
  anglesFromDirection,
  arcDeg,
  directionFromAngles,
  lengthOfTakeS,
  reaimed,
  sunOfTake,
  sunOverTake,
  sunPosition,
} from '../src';

const QUAY = { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4 };
const at = (time: string) => new Date(`2026-10-14T${time}Z`);

test('the sun of a take is the almanac’s, with its shadow and how far it went on', () => {
  const sun = sunOfTake(QUAY, at('15:40:00'), at('15:20:00'));
  const [now, then] = [sunPosition(QUAY, at('15:40:00')), sunPosition(QUAY, at('15:20:00'))];
  expect([sun.azimuthDeg, sun.elevationDeg]).toEqual([now.azimuthDeg, now.elevationDeg]);
  expect(sun.driftDeg).toBeCloseTo(arcDeg(now.direction, then.direction), 9);
  expect(sun.turnDeg).toBeCloseTo(now.azimuthDeg - then.azimuthDeg, 9);
  // Tangent of the height over a metre; away from the sun.
  expect(sun.shadowLengthM!).toBeCloseTo(1 / Math.tan((now.elevationDeg * Math.PI) / 180), 9);
  expect(sun.shadowAzimuthDeg).toBeCloseTo((now.azimuthDeg + 180) % 360, 9);
  expect(sunOfTake(QUAY, at('21:00:00'), at('15:20:00')).shadowLengthM).toBeNull();
});

test('over the length of a take, told by its timecode, the sun and its shadow go on', () => {
  const take = { timecodeIn: '15:40:00:00', timecodeOut: '15:44:59:23', timecodeRate: 24 };
  expect(lengthOfTakeS(take)).toBeCloseTo(300, 9);
  expect(lengthOfTakeS({ ...take, timecodeOut: null })).toBeNull();
  // Drop-frame counting skips this one.
  expect(lengthOfTakeS({ timecodeIn: '10:01:00;00', timecodeOut: '10:02:00;10', timecodeRate: 29.97 })).toBeNull();
  const end = sunOverTake(QUAY, at('15:40:00'), 300);
  const [a, b] = [sunPosition(QUAY, at('15:40:00')), sunPosition(QUAY, at('15:45:00'))];
  expect(end.movesDeg).toBeCloseTo(arcDeg(a.direction, b.direction), 9);
  // A quarter of a degree a minute, less off the equator of the sky.
  expect(end.movesDeg).toBeGreaterThan(1.1);
  expect(end.movesDeg).toBeLessThan(1.26);
  expect(end.elevationDeg).toBeLessThan(a.elevationDeg);
  expect(end.shadowLengthM!).toBeCloseTo(1 / Math.tan((b.elevationDeg * Math.PI) / 180), 9);
});

test('a light aimed anew goes on as the sun did, whatever the panorama is off by; mirrored to the other side; not by night', () => {
  const sun = sunOfTake(QUAY, at('16:05:00'), at('15:20:00'));
  const found = sunPosition(QUAY, at('15:20:00'));
  const own = directionFromAngles(found.azimuthDeg + 0.4, found.elevationDeg - 0.2);
  const aimed = anglesFromDirection(reaimed(own, sun)!);
  const now = sunPosition(QUAY, at('16:05:00'));
  expect(aimed.azimuthDeg).toBeCloseTo(now.azimuthDeg + 0.4, 6);
  expect(aimed.elevationDeg).toBeCloseTo(now.elevationDeg - 0.2, 6);
  // In a frame that is turned by 100 degrees it is turned by the same.
  const set = anglesFromDirection(reaimed(directionFromAngles(found.azimuthDeg - 100, found.elevationDeg), sun)!);
  expect(set.azimuthDeg).toBeCloseTo(now.azimuthDeg - 100, 6);
  const mirrored = anglesFromDirection(reaimed(directionFromAngles(90, 20), sun, true)!);
  expect(mirrored.azimuthDeg).toBeCloseTo(90 - sun.turnDeg, 6);
  expect(reaimed(own, sunOfTake(QUAY, at('21:00:00'), at('15:20:00')))).toBeNull();
});
