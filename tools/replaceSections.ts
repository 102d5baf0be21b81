/** The old table with every section that the new one holds replaced, and those it did not have at its end. */
export function replaceSections(old: string, fresh: string): string {
  const cut = (text: string) => text.split(/(?=^## )/m);
  const title = (part: string) => part.split('\n')[0];
  const renewed = new Map(
    cut(fresh)
      .filter((p) => p.startsWith('## '))
      .map((p) => [title(p), p]),
  );
  const kept = cut(old).map((p) => {
    const part = renewed.get(title(p)) ?? p;
    renewed.delete(title(p));
    return `${part.trimEnd()}\n`;
  });
  return [...kept, ...[...renewed.values()].map((p) => `${p.trimEnd()}\n`)].join('\n');
}
