import { InvalidArgumentError, type Command } from 'commander';
import { assertPlace, type Place } from '@tawny/core';

/** Parses a finite number of an option. */
export function number(text: string): number {
  const value = Number(text);
  if (text.trim() === '' || !Number.isFinite(value)) throw new InvalidArgumentError('expected a number');
  return value;
}

export function whole(text: string): number {
  const value = number(text);
  if (!Number.isInteger(value)) throw new InvalidArgumentError('expected a whole number');
  return value;
}

/** Parses so many numbers with commas between. */
export const numberList = (count: number) => (text: string) => {
  const values = text.split(',').map(number);
  if (values.length !== count) throw new InvalidArgumentError(`expected ${count} numbers with commas between`);
  return values;
};

/** Parses an instant with an explicit zone: local times without one are ambiguous on location. */
export function instant(text: string): Date {
  const value = new Date(text);
  if (Number.isNaN(value.getTime())) throw new InvalidArgumentError('expected a UTC time such as 2026-10-14T15:20:00Z');
  if (!/(Z|[+-]\d{2}:?\d{2})$/i.test(text.trim()))
    throw new InvalidArgumentError('state the zone: end the time with Z or an offset such as +01:00');
  return value;
}

export interface PlaceOptions {
  lat: number;
  lon: number;
  alt: number;
}

/** The options of a verb that is about a place. */
export const withPlaceOptions = (command: Command): Command =>
  command
    .requiredOption('--lat <deg>', 'geodetic latitude, north positive', number)
    .requiredOption('--lon <deg>', 'longitude, east positive', number)
    .option('--alt <m>', 'metres above sea level', number, 0);

/** @throws RangeError naming the coordinate that cannot be */
export function place(options: PlaceOptions): Place {
  const p = { latitudeDeg: options.lat, longitudeDeg: options.lon, altitudeM: options.alt };
  assertPlace(p);
  return p;
}
