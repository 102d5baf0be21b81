import { getSpa } from 'nrel-spa';
import { arcDeg, directionFromAngles, standardAir, sunPosition } from '@tawny/core';
import type { Section } from './table';

/** The published case of the NREL report. */
const PUBLISHED = {
  place: { latitudeDeg: 39.742476, longitudeDeg: -105.1786, altitudeM: 1830.14 },
  utc: '2003-10-17T19:30:30Z',
  air: { pressureHpa: 820, temperatureC: 11 },
  azimuthDeg: 194.34024,
  zenithDeg: 50.11162,
};

/** Low, southern and polar suns, against the NREL algorithm in an independent package. */
export const FURTHER: { name: string; lat: number; lon: number; alt: number; utc: string }[] = [
  { name: 'Gannet Staithe, October, low', lat: 52.957, lon: 0.951, alt: 4, utc: '2026-10-14T16:45:00Z' },
  { name: 'Gannet Staithe, November, 1 degree', lat: 52.957, lon: 0.951, alt: 4, utc: '2026-11-24T15:35:00Z' },
  { name: '53 N, June dawn', lat: 53, lon: 1, alt: 0, utc: '2026-06-21T04:00:00Z' },
  { name: '33.9 S, July afternoon', lat: -33.9, lon: 18.4, alt: 20, utc: '2026-07-02T15:20:00Z' },
  { name: '45 S, December dawn', lat: -45, lon: 170.5, alt: 0, utc: '2026-12-20T17:05:00Z' },
  { name: '69.6 N, polar summer midnight', lat: 69.6, lon: 18.9, alt: 10, utc: '2026-06-21T22:45:00Z' },
  { name: '78 N, April', lat: 78.2, lon: 15.6, alt: 5, utc: '2026-04-20T22:00:00Z' },
  { name: '77.8 S, polar', lat: -77.8, lon: 166.7, alt: 30, utc: '2026-02-22T13:00:00Z' },
  { name: 'equator, sunset', lat: 0.2, lon: 32.5, alt: 1130, utc: '2026-03-20T15:25:00Z' },
  { name: '3.1 N, high mountain', lat: 3.1, lon: 37.3, alt: 4800, utc: '2026-09-05T14:55:00Z' },
];

/** Angle in degrees between our sun and the reference's for a further case. */
export function furtherError(c: (typeof FURTHER)[number]): { errorDeg: number; elevationDeg: number } {
  const ours = sunPosition({ latitudeDeg: c.lat, longitudeDeg: c.lon, altitudeM: c.alt }, new Date(c.utc));
  const air = standardAir(c.alt);
  const spa = getSpa(new Date(c.utc), c.lat, c.lon, 0, {
    elevation: c.alt,
    pressure: air.pressureHpa,
    temperature: air.temperatureC,
    delta_t: 69.2,
    delta_ut1: 0,
  });
  const reference = directionFromAngles(spa.azimuth, 90 - spa.zenith);
  return { errorDeg: arcDeg(ours.direction, reference), elevationDeg: ours.elevationDeg };
}

export function publishedError(): number {
  const s = sunPosition(PUBLISHED.place, new Date(PUBLISHED.utc), PUBLISHED.air);
  return Math.max(Math.abs(s.azimuthDeg - PUBLISHED.azimuthDeg), Math.abs(90 - s.elevationDeg - PUBLISHED.zenithDeg));
}

export function sunSection(): Section {
  const published = publishedError();
  return {
    title: 'Sun position',
    how: 'The published NREL case, and ten further cases against an independent implementation of the same report (npm `nrel-spa`).',
    rows: [
      {
        what: 'published case 2003-10-17, larger of azimuth and zenith error',
        bound: '0.002°',
        measured: `${published.toFixed(5)}°`,
        holds: published <= 0.002,
      },
      ...FURTHER.map((c) => {
        const { errorDeg, elevationDeg } = furtherError(c);
        return {
          what: `${c.name} (elevation ${elevationDeg.toFixed(1)}°)`,
          bound: '0.002°',
          measured: `${errorDeg.toFixed(5)}°`,
          holds: errorDeg <= 0.002,
        };
      }),
    ],
  };
}
