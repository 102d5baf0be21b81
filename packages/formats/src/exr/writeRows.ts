import fs from 'node:fs/promises';
import type { WorkingSpace } from '@tawny/core';
import type { PanoramaAttributes } from './attributes';
import { exrBlock, exrHeader, inSpaceOf, ROWS_PER_BLOCK, type PixelType } from './write';

/** An OpenEXR file that is written while its rows come, from the top, so that the picture need not be in memory; the same bytes as `writeExr`. */
export class ExrRowWriter {
  private readonly offsets: number[] = [];
  private next = 0;

  private constructor(
    private readonly file: fs.FileHandle,
    private readonly size: { width: number; height: number },
    private readonly type: PixelType,
    private readonly tableAt: number,
    private at: number,
  ) {}

  static async open(
    path: string,
    width: number,
    height: number,
    attributes: PanoramaAttributes,
    type: PixelType,
    space: WorkingSpace,
  ): Promise<ExrRowWriter> {
    const header = exrHeader(width, height, inSpaceOf(attributes, space), type);
    const file = await fs.open(path, 'w');
    const table = 8 * Math.ceil(height / ROWS_PER_BLOCK);
    await file.write(header, 0, header.length, 0);
    return new ExrRowWriter(file, { width, height }, type, header.length, header.length + table);
  }

  /**
   * Adds rows from `y0` on: the next ones, whole blocks of `ROWS_PER_BLOCK` (except at the end).
   * @throws RangeError for rows out of turn, for NaN and infinite values, and for values that half cannot hold
   */
  async add(y0: number, rows: Float32Array): Promise<void> {
    const { width, height } = this.size;
    const count = rows.length / (3 * width);
    if (
      y0 !== this.next ||
      !Number.isInteger(count) ||
      y0 + count > height ||
      (count % ROWS_PER_BLOCK !== 0 && y0 + count !== height)
    )
      throw new RangeError(`rows ${y0} to ${y0 + count} are out of turn: row ${this.next} of ${height} is next`);
    for (let i = 0; i < rows.length; i++) {
      const v = rows[i];
      if (!Number.isFinite(v))
        throw new RangeError(`value ${v} in row ${y0 + Math.floor(i / (3 * width))} cannot be written`);
      if (this.type === 'half' && Math.abs(v) > 65504) throw new RangeError(`half cannot hold ${v}`);
    }
    const blocks = await Promise.all(
      Array.from({ length: Math.ceil(count / ROWS_PER_BLOCK) }, (_, k) =>
        exrBlock(
          rows.subarray(3 * width * k * ROWS_PER_BLOCK, 3 * width * Math.min(count, (k + 1) * ROWS_PER_BLOCK)),
          width,
          y0 + k * ROWS_PER_BLOCK,
          this.type,
        ),
      ),
    );
    for (const block of blocks) {
      this.offsets.push(this.at);
      await this.file.write(block, 0, block.length, this.at);
      this.at += block.length;
    }
    this.next += count;
  }

  /** Writes the table of offsets and closes. @throws RangeError when rows are missing */
  async close(): Promise<void> {
    try {
      if (this.next !== this.size.height)
        throw new RangeError(`the picture ends at row ${this.next} of ${this.size.height}`);
      const table = Buffer.alloc(8 * this.offsets.length);
      this.offsets.forEach((offset, i) => table.writeBigUInt64LE(BigInt(offset), 8 * i));
      await this.file.write(table, 0, table.length, this.tableAt);
    } finally {
      await this.file.close();
    }
  }

  /** Gives up: closes without a table. The caller removes the file. */
  async abandon(): Promise<void> {
    await this.file.close();
  }
}
