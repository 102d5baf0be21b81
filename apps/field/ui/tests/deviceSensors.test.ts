import { watchAttitude, type DeviceLook } from '../../features/records/deviceSensors';

/** A window of which the sensors alone are asked. */
function sensors() {
  const listeners = new Map<string, Set<(e: object) => void>>();
  const of = (type: string) => listeners.get(type) ?? listeners.set(type, new Set()).get(type)!;
  Object.assign(globalThis, {
    window: {
      addEventListener: (type: string, f: (e: object) => void) => of(type).add(f),
      removeEventListener: (type: string, f: (e: object) => void) => of(type).delete(f),
    },
  });
  return {
    fire: (type: string, absolute: boolean, alpha: number) =>
      [...of(type)].forEach((f) => f({ type, absolute, alpha, beta: 90, gamma: 0 })),
    count: () => [...listeners.values()].reduce((n, s) => n + s.size, 0),
  };
}
const never = (error: Error) => {
  throw error;
};
const settled = () => new Promise((r) => setImmediate(r));

test('a heading is a compass’s only where the sensor says that it knows north', async () => {
  for (const [type, absolute] of [
    ['deviceorientationabsolute', true],
    ['deviceorientation', false],
  ] as const) {
    const phone = sensors();
    const looks: DeviceLook[] = [];
    const stop = watchAttitude((l) => looks.push(l), never);
    phone.fire(type, absolute, 30);
    await settled();
    phone.fire(type, absolute, 300);
    expect(looks).toHaveLength(1);
    expect(looks[0].knowsNorth).toBe(absolute);
    // Turned to the right by 60 degrees of alpha: held upright its back looks along 60.
    expect(looks[0].headingDeg).toBeCloseTo(60, 6);
    stop();
    expect(phone.count()).toBe(0);
  }
});

test('one sensor is listened to from start to end: headings of two are not counted from one place', async () => {
  const phone = sensors();
  const looks: DeviceLook[] = [];
  const stop = watchAttitude((l) => looks.push(l), never);
  phone.fire('deviceorientation', false, 10);
  await settled();
  phone.fire('deviceorientationabsolute', true, 200);
  phone.fire('deviceorientation', false, 20);
  expect(looks.map((l) => l.knowsNorth)).toEqual([false]);
  stop();
});
