import type { WrittenTags } from '../../src';

/** What the made-up stills camera writes into a file. */
export const TAGS: WrittenTags = {
  model: 'Tarn P6',
  lensModel: 'Meniscus',
  shutterTag: { numerator: 1, denominator: 60 },
  fNumberTag: 8,
  iso: 200,
  focalLengthMm: 8.2,
  takenAt: new Date('2026-10-14T15:20:30.500Z'),
  utcOffsetMinutes: 60,
  orientation: 1,
};
