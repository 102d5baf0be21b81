import { FileProblem } from '../errors';

/** Scanlines of other widths are never run-length encoded. */
const RLE_WIDTHS = { least: 8, most: 0x7fff };

/**
 * Walks the scanlines of a Radiance picture without decoding them: every one must be there, whole, and end where the next begins.
 * @param start offset of the first scanline
 * @throws FileProblem naming the file when it breaks off or its runs do not fill its lines
 */
export function assertWholeHdr(b: Uint8Array, name: string, width: number, height: number, start: number): void {
  const damaged = (why: string) => new FileProblem('damaged-image', name, `${why}; copy it again`);
  const encoded = (at: number) =>
    width >= RLE_WIDTHS.least && width <= RLE_WIDTHS.most && b[at] === 2 && b[at + 1] === 2 && (b[at + 2] & 0x80) === 0;
  if (!encoded(start)) {
    const there = Math.floor((b.length - start) / 4);
    if (there < width * height) throw damaged(`breaks off after ${Math.floor(there / width)} of ${height} lines`);
    return;
  }
  let at = start;
  for (let line = 0; line < height; line++) {
    if (at + 4 > b.length) throw damaged(`breaks off after ${line} of ${height} lines`);
    if (!encoded(at) || ((b[at + 2] << 8) | b[at + 3]) !== width) throw damaged(`is damaged in line ${line}`);
    at += 4;
    for (let channel = 0; channel < 4; channel++) {
      let filled = 0;
      while (filled < width) {
        if (at + 1 >= b.length) throw damaged(`breaks off after ${line} of ${height} lines`);
        const run = b[at] > 128;
        const count = run ? b[at] - 128 : b[at];
        if (count === 0) throw damaged(`is damaged in line ${line}`);
        filled += count;
        at += run ? 2 : 1 + count;
      }
      if (filled !== width) throw damaged(`is damaged in line ${line}`);
    }
  }
  if (at > b.length) throw damaged(`breaks off in its last line`);
}
