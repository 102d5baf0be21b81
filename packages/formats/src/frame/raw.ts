import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import sharp from 'sharp';
import { exactFNumber, exactShutterSeconds } from '@tawny/core';
import { FileProblem } from '../errors';
import type { ImageMetadata } from '../image/metadata';

const run = promisify(execFile);

const RAW_NAME = /\.(dng|cr2|cr3|nef|nrw|arw|raf|rw2|orf|pef|srw|3fr|iiq|raw)$/i;
const MAX_PIXELS = 150e6;
const IDENTIFY_MS = 20000;
const DEVELOP_MS = 120000;

/** Whether bytes are a camera's raw file: by the name's ending, or by the version tag that every DNG has in its first directory. */
export function isRaw(bytes: Uint8Array, name: string): boolean {
  return RAW_NAME.test(name) || hasTag(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength), 0xc612);
}

function hasTag(b: Buffer, wanted: number): boolean {
  const little = b.length > 8 && b[0] === 0x49 && b[1] === 0x49 && b[2] === 42;
  const big = b.length > 8 && b[0] === 0x4d && b[1] === 0x4d && b[3] === 42;
  if (!little && !big) return false;
  const u16 = (at: number) => (little ? b.readUInt16LE(at) : b.readUInt16BE(at));
  const at = little ? b.readUInt32LE(4) : b.readUInt32BE(4);
  if (at + 2 > b.length) return false;
  const count = u16(at);
  for (let i = 0; i < count && at + 4 + 12 * i < b.length; i++) if (u16(at + 2 + 12 * i) === wanted) return true;
  return false;
}

export interface RawFacts extends Pick<
  ImageMetadata,
  | 'shutterS'
  | 'shutterTagS'
  | 'fNumber'
  | 'fNumberTag'
  | 'iso'
  | 'focalLengthMm'
  | 'cameraModel'
  | 'lensModel'
  | 'cameraMatrix'
> {
  /** Upright size of the developed picture. */
  widthPx: number;
  heightPx: number;
}

const notRaw = (name: string) =>
  new FileProblem(
    'not-an-image',
    name,
    'is no picture that can be read here (JPEG, PNG, TIFF, OpenEXR, Radiance HDR or camera raw), whatever its name says',
  );

/** What LibRaw's identifier tells of a raw file. @throws FileProblem naming the file */
export async function identifyRaw(path: string, name: string): Promise<RawFacts> {
  let text: string;
  try {
    ({ stdout: text } = await run('raw-identify', ['-v', path], { timeout: IDENTIFY_MS, maxBuffer: 1 << 20 }));
  } catch {
    throw notRaw(name);
  }
  const value = (pattern: RegExp) => text.match(pattern)?.[1]?.trim() || null;
  const number = (pattern: RegExp) => {
    const v = Number(value(pattern));
    return Number.isFinite(v) && v > 0 ? v : null;
  };
  const size = text.match(/Output size:\s*(\d+) x (\d+)/) ?? text.match(/Image size:\s*(\d+) x (\d+)/);
  if (!size) throw notRaw(name);
  const [widthPx, heightPx] = [Number(size[1]), Number(size[2])];
  if (widthPx * heightPx > MAX_PIXELS)
    throw new FileProblem('too-large', name, `claims ${widthPx} x ${heightPx} pixels, which cannot be right`);
  const shutter = text.match(/Shutter:\s*(1\/)?([\d.]+)/);
  const shutterTagS =
    shutter && Number(shutter[2]) > 0 ? (shutter[1] ? 1 / Number(shutter[2]) : Number(shutter[2])) : null;
  const fNumberTag = number(/^Aperture:\s*f\/([\d.]+)/m);
  return {
    widthPx,
    heightPx,
    shutterTagS,
    shutterS: shutterTagS === null ? null : exactShutterSeconds(shutterTagS),
    fNumberTag,
    fNumber: fNumberTag === null ? null : exactFNumber(fNumberTag),
    iso: number(/ISO speed:\s*([\d.]+)/),
    focalLengthMm: number(/^Focal length:\s*([\d.]+)/m),
    cameraModel: value(/Camera:\s*(.+?)(?: ID:|\n)/),
    lensModel: value(/^\tLens:[ \t]*(.+)$/m),
    cameraMatrix: matrixOf(text),
  };
}

/** The three rows below the identifier's heading; null where it knows none for the camera. */
function matrixOf(text: string): number[] | null {
  const found = text.match(/XYZ->CamRGB matrix:\s*\n((?:[ \t]*-?[\d.]+[ \t]+-?[\d.]+[ \t]+-?[\d.]+[ \t]*\n){3})/);
  const values = found?.[1].trim().split(/\s+/).map(Number) ?? [];
  return values.length === 9 && values.some((v) => v !== 0) ? values : null;
}

/**
 * Develops a raw file to linear 16-bit RGB in the camera's own colours: black and saturation levels of every channel applied, no white balance, no matrix, no
 * brightening, and the saturation never taken from the picture (that would give every frame of a bracket another scale). What stands next to a clipped photosite is
 * interpolated from it, so it counts as clipped as well. Upright. @throws FileProblem naming the file
 */
export async function decodeRaw(
  path: string,
  name: string,
): Promise<{ width: number; height: number; codes: Uint16Array }> {
  await identifyRaw(path, name);
  let tiff: Buffer;
  try {
    const { stdout } = await run(
      'dcraw_emu',
      ['-4', '-T', '-r', '1', '1', '1', '1', '-o', '0', '-W', '-c', '0', '-q', '3', '-Z', '-', path],
      { timeout: DEVELOP_MS, maxBuffer: 1 << 30, encoding: 'buffer' },
    );
    tiff = stdout;
  } catch {
    throw damaged(name);
  }
  if (tiff.length < 64) throw damaged(name);
  try {
    const { data, info } = await sharp(tiff, { limitInputPixels: MAX_PIXELS })
      .toColourspace('rgb16')
      .raw({ depth: 'ushort' })
      .toBuffer({ resolveWithObject: true });
    const codes = new Uint16Array(data.buffer, data.byteOffset, data.length / 2);
    spreadClipping(codes, info.width, info.height);
    return { width: info.width, height: info.height, codes };
  } catch {
    throw damaged(name);
  }
}

const damaged = (name: string) =>
  new FileProblem('damaged-image', name, 'is a raw file that breaks off or is damaged; copy it again from the card');

const FULL = 65000;

/** Neighbours of clipped samples become clipped, channel by channel. */
function spreadClipping(codes: Uint16Array, width: number, height: number): void {
  const clipped: number[] = [];
  for (let i = 0; i < codes.length; i++) if (codes[i] >= FULL) clipped.push(i);
  for (const i of clipped) {
    const x = Math.floor(i / 3) % width;
    const y = Math.floor(i / 3 / width);
    for (let v = Math.max(0, y - 1); v <= Math.min(height - 1, y + 1); v++) {
      for (let u = Math.max(0, x - 1); u <= Math.min(width - 1, x + 1); u++)
        codes[3 * (v * width + u) + (i % 3)] = 65535;
    }
  }
}
