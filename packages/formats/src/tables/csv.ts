import Papa from 'papaparse';

/** RFC 4180 text with a header row; cells that a spreadsheet would run as a formula are neutralised. */
export function writeCsv(columns: readonly string[], rows: readonly (string | number | null)[][]): string {
  return `${Papa.unparse({ fields: [...columns], data: rows.map((r) => r.map((v) => v ?? '')) }, { newline: '\r\n', escapeFormulae: /^[=@\t\r]|^[+-](?!\d+([.,]\d+)?$)/ })}\r\n`;
}
