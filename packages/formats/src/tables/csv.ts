import Papa from 'papaparse';

/** RFC 4180 text with a header row (or a further part of one); cells that a spreadsheet would run as a formula are neutralised. */
export function writeCsv(
  columns: readonly string[],
  rows: readonly (string | number | null)[][],
  header = true,
): string {
  if (!header && rows.length === 0) return '';
  return `${Papa.unparse({ fields: [...columns], data: rows.map((r) => r.map((v) => v ?? '')) }, { header, newline: '\r\n', escapeFormulae: /^[=@\t\r]|^[+-](?!\d+([.,]\d+)?$)/ })}\r\n`;
}
