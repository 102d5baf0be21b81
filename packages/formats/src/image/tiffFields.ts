/** Fields and directories of TIFF 6.0, little endian: what both of our writers (TIFF and DNG) are made of. */
export interface Field {
  tag: number;
  type: number;
  count: number;
  bytes: Buffer;
}

const TYPES = { byte: 1, ascii: 2, short: 3, long: 4, rational: 5, undefined: 7, signedRational: 10 } as const;

export const bytes = (tag: number, ...v: number[]): Field => ({
  tag,
  type: TYPES.byte,
  count: v.length,
  bytes: Buffer.from(v),
});

/** Bytes that the tag's own rules give a meaning. */
export const opaque = (tag: number, v: Buffer): Field => ({ tag, type: TYPES.undefined, count: v.length, bytes: v });

export const ascii = (tag: number, v: string): Field => {
  const text = Buffer.from(`${v}\0`, 'latin1');
  return { tag, type: TYPES.ascii, count: text.length, bytes: text };
};

export const short = (tag: number, ...v: number[]): Field => {
  const out = Buffer.alloc(2 * v.length);
  v.forEach((x, i) => out.writeUInt16LE(x, 2 * i));
  return { tag, type: TYPES.short, count: v.length, bytes: out };
};

export const long = (tag: number, ...v: number[]): Field => {
  const out = Buffer.alloc(4 * v.length);
  v.forEach((x, i) => out.writeUInt32LE(x, 4 * i));
  return { tag, type: TYPES.long, count: v.length, bytes: out };
};

export const rational = (tag: number, ...pairs: [numerator: number, denominator: number][]): Field => {
  const out = Buffer.alloc(8 * pairs.length);
  pairs.forEach(([n, d], i) => {
    out.writeUInt32LE(n, 8 * i);
    out.writeUInt32LE(d, 8 * i + 4);
  });
  return { tag, type: TYPES.rational, count: pairs.length, bytes: out };
};

export const signedRational = (tag: number, ...pairs: [numerator: number, denominator: number][]): Field => {
  const out = Buffer.alloc(8 * pairs.length);
  pairs.forEach(([n, d], i) => {
    out.writeInt32LE(n, 8 * i);
    out.writeInt32LE(d, 8 * i + 4);
  });
  return { tag, type: TYPES.signedRational, count: pairs.length, bytes: out };
};

/** One image file directory whose first byte stands at `at`; values longer than four bytes follow it. */
export function directory(fields: readonly Field[], at: number): Buffer {
  const sorted = [...fields].sort((a, b) => a.tag - b.tag);
  const head = Buffer.alloc(2 + 12 * sorted.length + 4);
  head.writeUInt16LE(sorted.length, 0);
  const tail: Buffer[] = [];
  let next = at + head.length;
  sorted.forEach((f, i) => {
    const o = 2 + 12 * i;
    head.writeUInt16LE(f.tag, o);
    head.writeUInt16LE(f.type, o + 2);
    head.writeUInt32LE(f.count, o + 4);
    if (f.bytes.length <= 4) f.bytes.copy(head, o + 8);
    else {
      head.writeUInt32LE(next, o + 8);
      const padded = even(f.bytes);
      tail.push(padded);
      next += padded.length;
    }
  });
  return Buffer.concat([head, ...tail]);
}

const even = (b: Buffer) => (b.length % 2 ? Buffer.concat([b, Buffer.alloc(1)]) : b);

/** A whole file: header, strips, then the directories that `directories` makes once it knows where the strips stand; the last one is the main one. */
export function tiffFile(
  strips: readonly Buffer[],
  directories: (offsets: number[], counts: number[], at: number) => Buffer[],
): Buffer {
  let at = 8;
  const offsets = strips.map((s) => {
    const o = at;
    at += s.length + (s.length % 2);
    return o;
  });
  const parts = directories(
    offsets,
    strips.map((s) => s.length),
    at,
  );
  const main = at + parts.slice(0, -1).reduce((sum, p) => sum + p.length, 0);
  const head = Buffer.from([0x49, 0x49, 42, 0, 0, 0, 0, 0]);
  head.writeUInt32LE(main, 4);
  return Buffer.concat([head, ...strips.map(even), ...parts]);
}
