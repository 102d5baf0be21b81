import fs from 'node:fs/promises';
import { FileProblem } from '../errors';
import { isExr, readExr } from '../exr/read';
import { readAttributes } from '../exr/attributes';
import { isHdr, readHdr, readHdrSize } from '../hdr/read';
import { assertWhole, decodeImage, readImageHead } from '../image/decode';
import { EMPTY_METADATA, readMetadata, type ImageMetadata } from '../image/metadata';
import { exrMetadata } from './exrMetadata';
import {
  exrDecoding,
  FLOAT_TIFF_DECODING,
  HDR_DECODING,
  imageDecoding,
  rawDecoding,
  type FileDecoding,
} from './fileDecoding';
import { readFloatTiff } from './float';
import { decodeRaw, identifyRaw, isRaw } from './raw';

export interface FrameHead {
  /** Upright size. */
  width: number;
  height: number;
  /** Of a sample; 32 are floats. */
  bits: 8 | 16 | 32;
  format: 'jpeg' | 'png' | 'tiff' | 'exr' | 'hdr' | 'raw';
  metadata: ImageMetadata;
  /** What the code values mean, as far as the file says it. */
  meaning: FileDecoding;
}

export interface DecodedFrame {
  width: number;
  height: number;
  /** Interleaved RGB, upright, as the file holds it: what it means is said by its head's `meaning`. */
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
    return {
      width: widthPx,
      height: heightPx,
      bits: 32,
      format: 'exr',
      metadata,
      meaning: exrDecoding(readAttributes(bytes)),
    };
  }
  if (isHdr(bytes))
    return { ...readHdrSize(bytes, name), bits: 32, format: 'hdr', metadata: EMPTY_METADATA, meaning: HDR_DECODING };
  if (isRaw(bytes, name)) {
    const [facts, metadata] = [await identifyRaw(path, name), await readMetadata(bytes)];
    // Tags that our own reader understands are more exact than the identifier's rounded words.
    const { widthPx: width, heightPx: height, ...words } = facts;
    const known = Object.fromEntries(Object.entries(metadata).filter(([, v]) => v !== null));
    const all = { ...EMPTY_METADATA, ...words, ...known };
    return { width, height, bits: 16, format: 'raw', metadata: all, meaning: rawDecoding(all) };
  }
  const head = await readImageHead(bytes, name);
  const metadata = await readMetadata(bytes);
  const meaning = head.bits === 32 ? FLOAT_TIFF_DECODING : await imageDecoding(bytes, metadata);
  return { ...head, metadata, meaning };
}

/** Pixels of any frame, see `readFrameHead`. @throws FileProblem naming the file */
export async function decodeFrame(path: string, name: string): Promise<DecodedFrame> {
  const bytes = await bytesOf(path, name);
  if (isExr(bytes)) return floats(readExr(bytes, name, { asStored: true }).image);
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
