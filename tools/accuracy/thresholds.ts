import { LIMITS, NOTABLE_CLIPPED_SR } from '@tawny/core';
import type { Section } from './table';

/** What verdicts are judged by: no measurement, the table that the code reads, with its reasons. */
export function thresholdsSection(): Section {
  const named = (key: string) => key.replace(/[A-Z]/g, (l) => ` ${l.toLowerCase()}`);
  return {
    title: 'Thresholds of the verdicts',
    how: `What \`sphere/limits.ts\` holds: from where on a quantity is worth a word, from where on it is lost, and why there. Light counts as cut off from ${NOTABLE_CLIPPED_SR} sr on, a thirtieth of the sun's disc.`,
    rows: Object.entries(LIMITS).map(([key, { good, lost, unit, why }]) => ({
      what: named(key),
      bound: `a word from ${good} ${unit}${lost === null ? '' : lost === good ? ', lost at once' : `, lost from ${lost}`}`,
      measured: why,
      holds: null,
    })),
  };
}
