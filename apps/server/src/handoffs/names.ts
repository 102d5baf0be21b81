/** Lower case, digits and single hyphens: safe in every file system. CONVENTIONS.md section 6. */
export function slug(text: string): string {
  return (
    text
      .toLowerCase()
      .normalize('NFKD')
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '') || 'unnamed'
  );
}

export function packageName(production: string, setup: string, station: string, kind: string, version: number): string {
  return [slug(production), slug(setup), slug(station), kind, `v${String(version).padStart(3, '0')}`].join('_');
}
