import { decodeTableText, exifTime, fromHalf, readTable, toHalf, writeCsv } from '../src';

describe('halves', () => {
  test('every half that is a number comes back as itself', () => {
    const wrong = Array.from({ length: 65536 }, (_, bits) => bits).filter((bits) => {
      const exponent = (bits >> 10) & 31;
      if (exponent === 31) return false;
      const v = fromHalf(bits);
      const expected =
        (bits & 0x8000 ? -1 : 1) *
        (exponent === 0 ? (bits & 1023) * 2 ** -24 : (1 + (bits & 1023) / 1024) * 2 ** (exponent - 15));
      return !Object.is(v, expected) || (v !== 0 && toHalf(v) !== bits);
    });
    expect(wrong).toEqual([]);
  });
  test('what lies between two goes to the nearer, and nothing is lost on average', () => {
    let bias = 0;
    let farther = 0;
    const n = 20000;
    for (let k = 0; k < n; k++) {
      const v = 2 ** (-8 + (18 * k) / n) * (1 + ((k * 0.618034) % 1));
      const near = fromHalf(toHalf(v));
      const [below, above] = [fromHalf(toHalf(near) - 1), fromHalf(toHalf(near) + 1)];
      if (Math.abs(near - v) > Math.min(Math.abs(below - v), Math.abs(above - v)) + 1e-7 * v) farther++;
      bias += (near - v) / v / n;
    }
    expect(farther).toBe(0);
    expect(Math.abs(bias)).toBeLessThan(1e-5);
  });
});

describe('tables as people send them', () => {
  const text = 'Slate;Take;T-stop\r\n14A;1;5,6\r\n14A;2;4\r\n';
  test('delimiter and decimal comma are told apart', () => {
    const table = readTable(Buffer.from(text), 'log.csv');
    expect(table).toMatchObject({
      delimiter: ';',
      encoding: 'utf-8',
      decimalComma: true,
      columns: ['Slate', 'Take', 'T-stop'],
    });
    expect(table.rows).toEqual([
      { line: 2, cells: { Slate: '14A', Take: '1', 'T-stop': '5,6' } },
      { line: 3, cells: { Slate: '14A', Take: '2', 'T-stop': '4' } },
    ]);
    expect(readTable(Buffer.from('a,b\n1,5\n'), 'x').decimalComma).toBe(false);
    expect(readTable(Buffer.from('a\tb\n1,5\t2\n'), 'x').decimalComma).toBe(true);
    expect(readTable(Buffer.from('a;b\n1,5;2.5\n'), 'x').decimalComma).toBe(false);
  });
  test('encodings: marks are believed, UTF-8 is tried, old spreadsheets are the rest', () => {
    expect(decodeTableText(Buffer.from('\ufeffé', 'utf8'))).toEqual({ text: 'é', encoding: 'utf-8' });
    expect(decodeTableText(Buffer.from([0xff, 0xfe, 0xe9, 0x00]))).toEqual({ text: 'é', encoding: 'utf-16le' });
    expect(decodeTableText(Buffer.from([0xfe, 0xff, 0x00, 0xe9]))).toEqual({ text: 'é', encoding: 'utf-16be' });
    expect(decodeTableText(Buffer.from([0x32, 0xb0]))).toEqual({ text: '2°', encoding: 'windows-1252' });
    expect(
      readTable(Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from('Name;Höhe\nMast;2,5\n', 'utf16le')]), 'x')
        .rows[0].cells,
    ).toEqual({ Name: 'Mast', Höhe: '2,5' });
  });
  test('quoted cells keep delimiters and line breaks; empty rows do not count, line numbers stay', () => {
    const table = readTable(Buffer.from('a,b\n"1, and\nmore",2\n\n,\n3,4\n'), 'x');
    expect(table.rows.map((r) => r.cells.a)).toEqual(['1, and\nmore', '3']);
    expect(table.rows[1].line).toBe(5);
  });
  test('what is no table is named', () => {
    expect(() => readTable(Buffer.alloc(0), 'empty.csv')).toThrow('empty.csv: the file is empty');
    expect(() => readTable(Buffer.from('PK\0\0'), 'book.xlsx')).toThrow('book.xlsx: is not a table of text');
    expect(() => readTable(Buffer.from('just words\nand more\n'), 'letter.txt')).toThrow(
      'no header row with at least two columns',
    );
    expect(() => readTable(Buffer.from('a,b,a\n1,2,3\n'), 'twice.csv')).toThrow('two columns named "a"');
  });
  test('written tables are read again, and nothing in them runs', () => {
    const rows: (string | number | null)[][] = [
      ['=1+1', -5, null],
      ['+cmd', 2.5, 'a "quoted", cell'],
      ['-3.2', 0, '@x'],
    ];
    const csv = writeCsv(['note', 'value', 'more'], rows);
    expect(csv.split('\r\n')[0]).toBe('note,value,more');
    const back = readTable(Buffer.from(csv), 'x').rows.map((r) => r.cells);
    expect(back.map((c) => c.note)).toEqual(["'=1+1", "'+cmd", '-3.2']);
    expect(back.map((c) => c.value)).toEqual(['-5', '2.5', '0']);
    expect(back[1].more).toBe('a "quoted", cell');
    expect(back[2].more).toBe("'@x");
  });
});

describe('times in metadata', () => {
  test('local time, parts of a second and the offset', () => {
    expect(exifTime(new Date('2026-10-14T15:20:03.045Z'), 60)).toEqual({
      dateTime: '2026:10:14 16:20:03',
      subSeconds: '045',
      offset: '+01:00',
    });
    expect(exifTime(new Date('2026-01-01T00:10:00Z'), -570)).toEqual({
      dateTime: '2025:12:31 14:40:00',
      subSeconds: '000',
      offset: '-09:30',
    });
  });
});
