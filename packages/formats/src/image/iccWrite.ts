/** Colorants of Rec. 709 under the connection space's white D50 (ICC's registered sRGB profile), X Y Z of red, green, blue. */
const COLORANTS = [
  [0.43607, 0.22249, 0.01392],
  [0.38515, 0.71687, 0.09708],
  [0.14307, 0.06061, 0.7141],
] as const;
const WHITE = [0.9642, 1, 0.8249] as const;

const fixed = (v: number) => {
  const out = Buffer.alloc(4);
  out.writeInt32BE(Math.round(v * 65536));
  return out;
};
const xyz = (v: readonly number[]) => Buffer.concat([Buffer.from('XYZ \0\0\0\0', 'latin1'), ...v.map(fixed)]);
const words = (text: string) => {
  const body = Buffer.from(text, 'utf16le').swap16();
  const head = Buffer.alloc(28);
  head.write('mluc', 0, 'latin1');
  head.writeUInt32BE(1, 8);
  head.writeUInt32BE(12, 12);
  head.write('enUS', 16, 'latin1');
  head.writeUInt32BE(body.length, 20);
  head.writeUInt32BE(28, 24);
  return Buffer.concat([head, body]);
};
/** A parametric curve of the first kind: a pure power. */
const power = (gamma: number) => Buffer.concat([Buffer.from('para\0\0\0\0\0\0\0\0', 'latin1'), fixed(gamma)]);

/** An ICC profile (version 4) of Rec. 709 primaries and a power of `gamma`; 1 is linear. */
export function rec709Profile(gamma: number, description: string): Buffer {
  const tags: [string, Buffer][] = [
    ['desc', words(description)],
    ['cprt', words('no copyright')],
    ['wtpt', xyz(WHITE)],
    ['rXYZ', xyz(COLORANTS[0])],
    ['gXYZ', xyz(COLORANTS[1])],
    ['bXYZ', xyz(COLORANTS[2])],
    ...['rTRC', 'gTRC', 'bTRC'].map((t): [string, Buffer] => [t, power(gamma)]),
  ];
  const table = Buffer.alloc(4 + 12 * tags.length);
  table.writeUInt32BE(tags.length, 0);
  let at = 128 + table.length;
  const bodies = tags.map(([name, body], i) => {
    const padded = Buffer.concat([body, Buffer.alloc((4 - (body.length % 4)) % 4)]);
    table.write(name, 4 + 12 * i, 'latin1');
    table.writeUInt32BE(at, 8 + 12 * i);
    table.writeUInt32BE(body.length, 12 + 12 * i);
    at += padded.length;
    return padded;
  });
  const head = Buffer.alloc(128);
  head.writeUInt32BE(at, 0);
  head.writeUInt32BE(0x04300000, 8);
  head.write('mntrRGB XYZ ', 12, 'latin1');
  [2026, 1, 1].forEach((v, i) => head.writeUInt16BE(v, 24 + 2 * i));
  head.write('acsp', 36, 'latin1');
  Buffer.concat(WHITE.map(fixed)).copy(head, 68);
  return Buffer.concat([head, table, ...bodies]);
}
