import { daylight, daylightStopsPerHour } from '../src';

const quay = { latitudeDeg: 55.6, longitudeDeg: -1.7, altitudeM: 4 };

describe('daylight by the height of the sun', () => {
  it('gives what the model publishes for the zenith and for a middle height', () => {
    // Gillette, Treado and Kusuda 1984: 127.5 klx exp(-c m) sin h + A + B sin^C h, m = 1 at the zenith.
    expect(daylight(90, 'clear').level).toBeCloseTo(127500 * Math.exp(-0.21) + 800 + 15500, -2);
    expect(daylight(30, 'overcast').level).toBeCloseTo(300 + 10500, 6);
    expect(daylight(30, 'clear').direct).toBeCloseTo(127500 * Math.exp(-0.21 * 1.994) * 0.5, -2);
  });

  it('rises with the sun, and joins twilight without a step, down to 3.4 lux', () => {
    for (const sky of ['clear', 'partlyCloudy', 'overcast'] as const) {
      const levels = [-12, -6, -3, -1e-6, 1e-6, 3, 10, 30, 60].map((h) => daylight(h, sky).level);
      levels.slice(1).forEach((v, k) => expect(v).toBeGreaterThanOrEqual(levels[k]));
      expect(levels[1]).toBeCloseTo(3.4, 6);
      expect(Math.log2(levels[4] / levels[3])).toBeLessThan(0.05);
    }
    expect(() => daylight(Number.NaN, 'clear')).toThrow('elevation');
  });

  it('changes by more than a stop an hour under a low sun and hardly at noon', () => {
    expect(daylightStopsPerHour(quay, new Date('2026-10-14T16:00:00Z'))).toBeGreaterThan(0.8);
    expect(daylightStopsPerHour(quay, new Date('2026-06-21T12:05:00Z'))).toBeLessThan(0.05);
  });
});
