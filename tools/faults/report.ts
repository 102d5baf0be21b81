/** A line of the table of what was tried and what held. */
export interface Row {
  what: string;
  tried: string;
  held: string;
  good: boolean;
}

export const table = (rows: readonly Row[]): string =>
  [
    '| What was done | Tried | Held |',
    '| --- | --- | --- |',
    ...rows.map((r) => `| ${r.what} | ${r.tried} | ${r.good ? '' : '**not held**: '}${r.held} |`),
  ].join('\n');
