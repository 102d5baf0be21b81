import { crc32 } from 'node:zlib';
import { FileProblem } from '../errors';

const HEAD = Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]);

export const isPng = (b: Uint8Array): boolean => b.length > 8 && HEAD.every((v, i) => b[i] === v);

/** Holds every chunk of a PNG against its checksum, to the end mark. @throws FileProblem naming the file */
export function assertWholePng(bytes: Uint8Array, name: string): void {
  const damaged = () => new FileProblem('damaged-image', name, 'breaks off or is damaged; copy it again from the card');
  const b = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let at = 8; ;) {
    if (at + 12 > b.length) throw damaged();
    const length = b.readUInt32BE(at);
    if (at + 12 + length > b.length) throw damaged();
    if (crc32(b.subarray(at + 4, at + 8 + length)) !== b.readUInt32BE(at + 8 + length)) throw damaged();
    if (b.toString('latin1', at + 4, at + 8) === 'IEND') return;
    at += 12 + length;
  }
}
