import Papa from 'papaparse';
import { FileProblem } from '../errors';

export interface ReadTable {
  columns: string[];
  /** Cells by column name; `line` is the line of the file, the header being 1. */
  rows: { line: number; cells: Record<string, string> }[];
  delimiter: string;
  encoding: 'utf-8' | 'utf-16le' | 'utf-16be' | 'windows-1252';
  /** Numbers are written with a comma. */
  decimalComma: boolean;
}

/** Text of a table file: byte-order marks are believed, valid UTF-8 is UTF-8, the rest is what old spreadsheets write. */
export function decodeTableText(bytes: Uint8Array): { text: string; encoding: ReadTable['encoding'] } {
  const decode = (encoding: ReadTable['encoding']) => ({
    text: new TextDecoder(encoding).decode(bytes).replace(/^\ufeff/, ''),
    encoding,
  });
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return decode('utf-16le');
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return decode('utf-16be');
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes).replace(/^\ufeff/, ''), encoding: 'utf-8' };
  } catch {
    return decode('windows-1252');
  }
}

/** Where two would do, the comma is the decimal mark. */
const DELIMITERS = [';', '\t', '|', ','];

/** The delimiter that splits the header into at least two columns and most rows into as many; decimal commas must not win. */
function parse(text: string): Papa.ParseResult<string[]> {
  const tried = DELIMITERS.map((delimiter) => {
    const parsed = Papa.parse<string[]>(text, { delimiter, skipEmptyLines: false });
    const columns = parsed.data[0]?.length ?? 0;
    const filled = parsed.data.filter((r) => r.some((c) => c.trim() !== ''));
    return { parsed, score: columns < 2 ? 0 : filled.filter((r) => r.length === columns).length / filled.length };
  });
  return tried.reduce((a, b) => (b.score > a.score ? b : a)).parsed;
}

/** Reads a table with a header row, whatever its delimiter, encoding and decimal mark. @throws FileProblem when it is no table */
export function readTable(bytes: Uint8Array, name: string): ReadTable {
  if (bytes.length === 0) throw new FileProblem('empty-file', name, 'the file is empty');
  const { text, encoding } = decodeTableText(bytes);
  if (text.includes('\0')) throw new FileProblem('unsupported', name, 'is not a table of text; export it as CSV');
  const parsed = parse(text);
  const [header, ...body] = parsed.data;
  const columns = (header ?? []).map((c) => c.trim());
  if (columns.filter(Boolean).length < 2)
    throw new FileProblem(
      'unsupported',
      name,
      'has no header row with at least two columns; separate columns by comma, semicolon or tab',
    );
  const repeated = columns.find((c, i) => c !== '' && columns.indexOf(c) !== i);
  if (repeated) throw new FileProblem('unsupported', name, `has two columns named "${repeated}"`);
  const rows = body
    .map((cells, i) => ({
      line: i + 2,
      cells: Object.fromEntries(columns.map((c, k) => [c, (cells[k] ?? '').trim()])),
    }))
    .filter((r) => Object.values(r.cells).some((v) => v !== ''));
  const delimiter = parsed.meta.delimiter;
  const values = rows.flatMap((r) => Object.values(r.cells));
  const decimalComma =
    delimiter !== ',' && values.some((v) => /^-?\d+,\d+$/.test(v)) && !values.some((v) => /^-?\d+\.\d+$/.test(v));
  return { columns, rows, delimiter, encoding, decimalComma };
}
