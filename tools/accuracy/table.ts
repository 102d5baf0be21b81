/** One line of docs/accuracy.md. */
export interface Row {
  what: string;
  bound: string;
  measured: string;
  holds: boolean | null;
}

export interface Section {
  title: string;
  how: string;
  rows: Row[];
}

/** The table's sections, each with the commit whose figures they are. */
export function markdown(sections: readonly Section[], commit: string): string {
  const parts = [
    '# Accuracy',
    '',
    'Written by `npm run accuracy`; do not edit. Truth is the simulated set, an analytic case or a published table. "-" marks a figure without a bound. Figures are of the commit that is named; a part that took long stands from an earlier one while the code that makes it is the same (decision 60).',
    '',
  ];
  for (const s of sections) {
    parts.push(
      `## ${s.title}`,
      '',
      [s.how, `Figures of ${commit}.`].filter(Boolean).join(' '),
      '',
      '| what | bound | measured | holds |',
      '| --- | --- | --- | --- |',
    );
    for (const r of s.rows)
      parts.push(`| ${r.what} | ${r.bound} | ${r.measured} | ${r.holds === null ? '-' : r.holds ? 'yes' : '**no**'} |`);
    parts.push('');
  }
  return parts.join('\n');
}

export function quantile(values: readonly number[], p: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.floor(p * sorted.length))];
}

export const rms = (values: readonly number[]) => Math.sqrt(values.reduce((s, v) => s + v * v, 0) / values.length);
