import type { Reading, Take } from '@tawny/contract';
import { takeTimeFrom } from '@tawny/contract/takeRules';

/** How far a time that nobody said may be off, 95 %, seconds: takes and readings of one light lie within a few hours. */
const ASSUMED_S = 7200;

/** How well it is known when a take ran, 95 %, seconds; a time that was logged or entered is taken for right. */
export const takeWithinS = (take: Pick<Take, 'shotAtFrom' | 'fromFile'>): number =>
  takeTimeFrom(take).kind === 'assumed' ? ASSUMED_S : 0;

/** The same of a reading. */
export const readingWithinS = ({ takenAtFrom }: Pick<Reading, 'takenAtFrom'>): number =>
  takenAtFrom === 'assumed' ? ASSUMED_S : 0;
