import { FileProblem } from '../errors';

/** Tags of a directory that say where its pixels lie. */
const TAG = {
  width: 256, height: 257, bits: 258, compression: 259, samples: 277, rowsPerStrip: 278, offsets: 273, counts: 279, planar: 284,
  tileWidth: 322, tileHeight: 323, tileOffsets: 324, tileCounts: 325, subDirectories: 330,
} as const; // prettier-ignore

const KNOWN = new Set<number>(Object.values(TAG));
const UNCOMPRESSED = 1;
const MOST_DIRECTORIES = 32;
const SIZES: Record<number, number> = {
  1: 1,
  2: 1,
  3: 2,
  4: 4,
  5: 8,
  6: 1,
  7: 1,
  8: 2,
  9: 4,
  11: 4,
  12: 8,
  13: 4,
  16: 8,
  18: 8,
};

/** A file's directory: values of its integer tags. */
type Directory = Map<number, number[]>;

class Reader {
  private readonly b: Buffer;
  private readonly little: boolean;
  readonly wide: boolean;

  constructor(
    bytes: Uint8Array,
    private readonly name: string,
  ) {
    this.b = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.little = this.b[0] === 0x49;
    this.wide = this.u(2, 2) === 43;
  }

  damaged(): FileProblem {
    return new FileProblem('damaged-image', this.name, 'breaks off or is damaged; copy it again from the card');
  }

  u(at: number, size: number): number {
    if (!(at >= 0 && at + size <= this.b.length)) throw this.damaged();
    if (size === 8) return Number(this.little ? this.b.readBigUInt64LE(at) : this.b.readBigUInt64BE(at));
    return this.little ? this.b.readUIntLE(at, size) : this.b.readUIntBE(at, size);
  }

  get first(): number {
    return this.wide ? this.u(8, 8) : this.u(4, 4);
  }

  /** The directory at an offset, and where the next one is (0: nowhere). */
  directory(at: number): { tags: Directory; next: number } {
    const [countBytes, entryBytes, word] = this.wide ? [8, 20, 8] : [2, 12, 4];
    const count = this.u(at, countBytes);
    if (count > 4096) throw this.damaged();
    const tags: Directory = new Map();
    for (let i = 0; i < count; i++) {
      const entry = at + countBytes + entryBytes * i;
      const tag = this.u(entry, 2);
      const size = SIZES[this.u(entry + 2, 2)];
      const values = this.u(entry + 4, word);
      if (!size) continue;
      const inline = size * values <= word;
      const from = inline ? entry + 4 + word : this.u(entry + 4 + word, word);
      if (from + size * values > this.b.length) throw this.damaged();
      if (!KNOWN.has(tag)) continue;
      tags.set(
        tag,
        Array.from({ length: values }, (_, k) => this.u(from + size * k, size)),
      );
    }
    return { tags, next: this.u(at + countBytes + entryBytes * count, word) };
  }

  get length(): number {
    return this.b.length;
  }
}

/** Whether every strip or tile of a directory lies in the file, and uncompressed ones are as long as their rows. */
function assertPixels(reader: Reader, tags: Directory): void {
  const one = (tag: number, otherwise = 0) => tags.get(tag)?.[0] ?? otherwise;
  const [width, height] = [one(TAG.width), one(TAG.height)];
  if (width === 0 || height === 0) return;
  const tiled = tags.has(TAG.tileOffsets);
  const offsets = tags.get(tiled ? TAG.tileOffsets : TAG.offsets) ?? [];
  const counts = tags.get(tiled ? TAG.tileCounts : TAG.counts) ?? [];
  if (offsets.length === 0) return;
  const samples = one(TAG.samples, 1);
  const planes = one(TAG.planar, 1) === 2 ? samples : 1;
  const rows = tiled ? one(TAG.tileHeight) : Math.min(height, one(TAG.rowsPerStrip, height));
  const across = tiled ? Math.ceil(width / one(TAG.tileWidth, width)) : 1;
  const wanted = planes * across * Math.ceil(height / Math.max(1, rows));
  if (offsets.length < wanted || counts.length < wanted) throw reader.damaged();
  const bits = (tags.get(TAG.bits) ?? [1]).reduce((a, v) => a + v, 0);
  const pixelBits =
    planes > 1 ? (tags.get(TAG.bits)?.[0] ?? 1) : tags.get(TAG.bits)?.length === 1 ? bits * samples : bits;
  for (let i = 0; i < wanted; i++) {
    if (counts[i] === 0 || offsets[i] + counts[i] > reader.length) throw reader.damaged();
    if (one(TAG.compression, UNCOMPRESSED) !== UNCOMPRESSED) continue;
    const stripRows = tiled ? rows : Math.min(rows, height - rows * (i % Math.ceil(height / rows)));
    const need = stripRows * Math.ceil(((tiled ? one(TAG.tileWidth) : width) * pixelBits) / 8);
    if (counts[i] < need) throw reader.damaged();
  }
}

export const isTiff = (b: Uint8Array): boolean =>
  b.length > 8 &&
  ((b[0] === 0x49 && b[1] === 0x49 && (b[2] === 42 || b[2] === 43) && b[3] === 0) ||
    (b[0] === 0x4d && b[1] === 0x4d && b[2] === 0 && (b[3] === 42 || b[3] === 43)));

/**
 * Holds a TIFF (classic or big, also the raw files that are built like one) against what its directories promise: all its pixels are there.
 * @throws FileProblem naming the file when it breaks off or its strips lie
 */
export function assertWholeTiff(bytes: Uint8Array, name: string): void {
  const reader = new Reader(bytes, name);
  const waiting = [reader.first];
  const seen = new Set<number>();
  for (let at = waiting.pop(); at !== undefined; at = waiting.pop()) {
    if (at === 0 || seen.has(at)) continue;
    if (seen.size >= MOST_DIRECTORIES) throw reader.damaged();
    seen.add(at);
    const { tags, next } = reader.directory(at);
    assertPixels(reader, tags);
    waiting.push(next, ...(tags.get(TAG.subDirectories) ?? []).slice(0, MOST_DIRECTORIES));
  }
}
