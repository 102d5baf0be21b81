import fs from 'node:fs/promises';
import { FileProblem } from '../errors';
import { isExr, readExr } from '../exr/read';
import { isHdr, readHdr, readHdrSize } from '../hdr/read';
import { assertWhole, decodeImage, readImageHead } from '../image/decode';
import { EMPTY_METADATA, readMetadata, type ImageMetadata } from '../image/metadata';
import { exrMetadata } from './exrMetadata';
import { readFloatTiff } from './float';
import { decodeRaw, identifyRaw, isRaw } from './raw';

export interface FrameHead {
  /** Upright size. */
  width: number;
  height: number;
  /** 8: codes of a curve; 16: linear codes; 32: linear floats. */
  bits: 8 | 16 | 32;
  format: 'jpeg' | 'png' | 'tiff' | 'exr' | 'hdr' | 'raw';
  metadata: ImageMetadata;
}

export interface DecodedFrame {
  width: number;
  height: number;
  /** Interleaved RGB, upright. */
  codes: Uint8Array | Uint16Array | Float32Array;
  bits: 8 | 16 | 32;
}

async function bytesOf(path: string, name: string): Promise<Buffer> {
  const bytes = await fs.readFile(path).catch((e: NodeJS.ErrnoException) => {
    throw new FileProblem(
      'not-an-image',
      name,
      e.code === 'ENOENT' ? 'there is no such file' : `cannot be read (${e.code})`,
    );
  });
  if (bytes.length === 0) throw new FileProblem('empty-file', name, 'the file is empty; copy it again from the card');
  return bytes;
}

/**
 * Size, depth and metadata of any frame that the trade's cameras and developers write: JPEG, PNG, TIFF (8, 16 bit, float), OpenEXR, Radiance HDR, camera raw.
 * What a file is decides its content, not its name (raw files that only their ending tells apart from TIFF excepted). @throws FileProblem naming the file
 */
export async function readFrameHead(path: string, name: string): Promise<FrameHead> {
  const bytes = await bytesOf(path, name);
  if (isExr(bytes)) {
    const { widthPx, heightPx, framesPerSecond: _fps, focusM: _focus, ...metadata } = exrMetadata(bytes, name);
    if (widthPx === null || heightPx === null)
      throw new FileProblem('damaged-image', name, 'its OpenEXR header states no size; copy it again');
    return { width: widthPx, height: heightPx, bits: 32, format: 'exr', metadata };
  }
  if (isHdr(bytes)) return { ...readHdrSize(bytes, name), bits: 32, format: 'hdr', metadata: EMPTY_METADATA };
  if (isRaw(bytes, name)) {
    const [facts, metadata] = [await identifyRaw(path, name), await readMetadata(bytes)];
    // Tags that our own reader understands are more exact than the identifier's rounded words.
    const { widthPx: width, heightPx: height, ...words } = facts;
    const known = Object.fromEntries(Object.entries(metadata).filter(([, v]) => v !== null));
    return { width, height, bits: 16, format: 'raw', metadata: { ...EMPTY_METADATA, ...words, ...known } };
  }
  return { ...(await readImageHead(bytes, name)), metadata: await readMetadata(bytes) };
}

/** Pixels of any frame, see `readFrameHead`. @throws FileProblem naming the file */
export async function decodeFrame(path: string, name: string): Promise<DecodedFrame> {
  const bytes = await bytesOf(path, name);
  if (isExr(bytes)) return floats(readExr(bytes, name).image);
  if (isHdr(bytes)) return floats(readHdr(bytes, name));
  if (isRaw(bytes, name)) {
    // Most raw files are built like a TIFF; what the others promise only their developer knows.
    assertWhole(bytes, name);
    return { ...(await decodeRaw(path, name)), bits: 16 };
  }
  const head = await readImageHead(bytes, name);
  if (head.bits === 32) return floats(await readFloatTiff(bytes, name));
  const { width, height, codes, bits } = await decodeImage(bytes, name);
  return { width, height, codes, bits };
}

const floats = ({ width, height, data }: { width: number; height: number; data: Float32Array }): DecodedFrame => ({
  width,
  height,
  codes: data,
  bits: 32,
});
