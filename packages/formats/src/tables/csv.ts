import Papa from 'papaparse';

const LINE = '\r\n';

/** RFC 4180 text with a header row (or a further part of one); cells that a spreadsheet would run as a formula are neutralised. */
export function writeCsv(
  columns: readonly string[],
  rows: readonly (string | number | null)[][],
  header = true,
): string {
  const data = rows.map((r) => r.map((v) => v ?? ''));
  const text = Papa.unparse(
    { fields: [...columns], data },
    { header, newline: LINE, escapeFormulae: /^[=@\t\r]|^[+-](?!\d+([.,]\d+)?$)/ },
  );
  // A header without rows has its end of line already; a part without rows is nothing.
  return rows.length > 0 ? `${text}${LINE}` : header ? `${text.trimEnd()}${LINE}` : '';
}
