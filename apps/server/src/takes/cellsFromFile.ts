import { execFile } from 'node:child_process';
import fs from 'node:fs/promises';
import { promisify } from 'node:util';
import type { CameraBody, FileCells, LensRecord } from '@tawny/contract';
import { exactFNumber, exactShutterSeconds } from '@tawny/core';
import { FileProblem, readAttributes, readImageHead, readMetadata, type ImageMetadata } from '@tawny/formats';

const run = promisify(execFile);
const plain = (t: string) => t.toLowerCase().replace(/[^a-z0-9]/g, '');

interface FileFacts extends Pick<ImageMetadata, 'shutterTagS' | 'fNumber' | 'fNumberTag' | 'iso' | 'focalLengthMm' | 'focal35Mm' | 'digitalZoom' | 'takenAtMs' | 'hasUtcOffset' | 'cameraModel' | 'lensModel'> {
  widthPx: number | null;
  heightPx: number | null;
  fps: number | null;
  focusM: number | null;
  notes: string[];
}

const NOTHING: FileFacts = {
  shutterTagS: null, fNumber: null, fNumberTag: null, iso: null, focalLengthMm: null, focal35Mm: null, digitalZoom: null, takenAtMs: null, hasUtcOffset: false, cameraModel: null, lensModel: null,
  widthPx: null, heightPx: null, fps: null, focusM: null, notes: [],
};

const isExr = (b: Uint8Array) => b[0] === 0x76 && b[1] === 0x2f && b[2] === 0x31 && b[3] === 0x01;

function exrFacts(bytes: Uint8Array, name: string): FileFacts {
  try {
    const a = readAttributes(bytes);
    const m = a.capDate?.match(/^(\d{4}):(\d{2}):(\d{2}) (\d{2}:\d{2}:\d{2})$/);
    const local = m ? Date.parse(`${m[1]}-${m[2]}-${m[3]}T${m[4]}Z`) : NaN;
    return {
      ...NOTHING, shutterTagS: a.expTimeS ?? null, fNumber: a.aperture ?? null, fNumberTag: a.aperture ?? null, iso: a.isoSpeed ?? null, focalLengthMm: a.nominalFocalLengthMm ?? null,
      fps: a.framesPerSecond ?? null, focusM: a.focusM ?? null, takenAtMs: Number.isNaN(local) ? null : local + 1000 * (a.utcOffsetS ?? 0), hasUtcOffset: a.utcOffsetS !== undefined,
      widthPx: a.widthPx ?? null, heightPx: a.heightPx ?? null,
    };
  } catch {
    throw new FileProblem('damaged-image', name, 'its OpenEXR header is damaged; copy it again from the card');
  }
}

/** Camera raw that our own reader does not know: LibRaw's identifier tells. */
async function rawFacts(path: string, name: string): Promise<FileFacts> {
  let text: string;
  try {
    ({ stdout: text } = await run('raw-identify', ['-v', path], { timeout: 20000, maxBuffer: 1 << 20 }));
  } catch {
    throw new FileProblem('not-an-image', name, 'is no picture that can be read here (JPEG, PNG, TIFF, OpenEXR or camera raw), whatever its name says');
  }
  const value = (pattern: RegExp) => text.match(pattern)?.[1]?.trim() ?? null;
  const number = (pattern: RegExp) => {
    const v = Number(value(pattern));
    return Number.isFinite(v) && v > 0 ? v : null;
  };
  const shutter = text.match(/Shutter:\s*(?:1\/)?([\d.]+)/);
  const size = text.match(/Image size:\s*(\d+) x (\d+)/);
  const fNumberTag = number(/Aperture:\s*f\/([\d.]+)/);
  const model = value(/Camera:\s*(.+?)(?: ID:|\n)/);
  if (!model && !shutter) throw new FileProblem('not-an-image', name, 'is no picture that can be read here (JPEG, PNG, TIFF, OpenEXR or camera raw), whatever its name says');
  return {
    ...NOTHING, shutterTagS: shutter ? (/Shutter:\s*1\//.test(text) ? 1 / Number(shutter[1]) : Number(shutter[1])) : null, fNumberTag, fNumber: fNumberTag === null ? null : exactFNumber(fNumberTag),
    iso: number(/ISO speed:\s*([\d.]+)/), focalLengthMm: number(/Focal length:\s*([\d.]+)/), cameraModel: model, widthPx: size ? Number(size[1]) : null, heightPx: size ? Number(size[2]) : null,
  };
}

async function pictureFacts(path: string, bytes: Buffer, name: string): Promise<FileFacts> {
  const metadata = await readMetadata(bytes);
  try {
    const head = await readImageHead(bytes, name);
    return { ...NOTHING, ...metadata, widthPx: head.width, heightPx: head.height };
  } catch (error) {
    if (!(error instanceof FileProblem) || (error.code !== 'not-an-image' && error.code !== 'unsupported')) throw error;
    const raw = await rawFacts(path, name);
    return metadata.shutterTagS === null ? raw : { ...raw, ...metadata, widthPx: raw.widthPx, heightPx: raw.heightPx };
  }
}

/**
 * Cells of a take that a file's metadata fills. Tags are a prior: nominal values are decoded to exact ones, a 35 mm equivalent is never taken for
 * a focal length, an f-number never for a T-stop unless the lens of the kit tells its transmission. @throws FileProblem naming the file
 */
export async function cellsFromFile(path: string, name: string, bodies: readonly CameraBody[], lenses: readonly LensRecord[], clockOffsetS: number): Promise<FileCells> {
  const bytes = await fs.readFile(path);
  if (bytes.length === 0) throw new FileProblem('empty-file', name, 'the file is empty; copy it again from the card');
  const f = isExr(bytes) ? exrFacts(bytes, name) : await pictureFacts(path, bytes, name);
  const cells: FileCells['cells'] = {};
  const notes = [...f.notes];
  const body = f.cameraModel ? bodies.find((b) => plain(b.name) === plain(f.cameraModel!)) : undefined;
  const lens = f.lensModel ? lenses.find((l) => plain(f.lensModel!).includes(plain(l.name)) || plain(l.name).includes(plain(f.lensModel!))) : undefined;
  if (body) {
    cells.bodyId = body.id;
    const format = body.formats.find((x) => x.widthPx === f.widthPx && x.heightPx === f.heightPx);
    if (format) cells.formatName = format.name;
    else if (f.widthPx) notes.push(`${f.widthPx} × ${f.heightPx} px is no recording format of ${body.name} in the kit`);
  }
  if (lens) cells.lensId = lens.id;
  if (f.focalLengthMm !== null) cells.focalLengthMm = Number(f.focalLengthMm.toFixed(2));
  else if (f.focal35Mm !== null) notes.push(`the file states only a 35 mm equivalent (${f.focal35Mm} mm): that is no focal length`);
  if (f.focal35Mm !== null && f.focalLengthMm !== null) notes.push(`35 mm equivalent ${f.focal35Mm} mm, kept apart`);
  if (f.digitalZoom !== null && f.digitalZoom > 1.01) notes.push(`digital zoom ${f.digitalZoom.toFixed(2)} ×: the sensor window is that much smaller`);
  if (f.iso !== null) cells.ei = Math.round(f.iso);
  if (f.fNumber !== null) {
    if (lens) {
      cells.tStop = Number((f.fNumber / Math.sqrt(lens.transmission)).toFixed(2));
      notes.push(`f/${f.fNumberTag} and a transmission of ${lens.transmission} make T${cells.tStop}`);
    } else notes.push(`f/${f.fNumberTag} stated; the T-stop needs a lens of the kit`);
  }
  if (f.fps !== null) cells.fps = Number(f.fps.toFixed(3));
  if (f.focusM !== null) cells.focusM = Number(f.focusM.toFixed(3));
  if (f.shutterTagS !== null) {
    const exact = exactShutterSeconds(f.shutterTagS);
    notes.push(`shutter ${f.shutterTagS >= 0.3 ? `${f.shutterTagS} s` : `1/${Math.round(1 / f.shutterTagS)} s`}${Math.abs(exact / f.shutterTagS - 1) > 1e-6 ? ` stands for 1/${(1 / exact).toFixed(1)} s` : ''}`);
    const fps = f.fps ?? 24;
    const angle = f.shutterTagS * 360 * fps;
    if (angle <= 360 + 1e-6) cells.shutterAngleDeg = Number(Math.min(360, angle).toFixed(2));
  }
  if (f.takenAtMs !== null) {
    cells.shotAt = new Date(f.takenAtMs - 1000 * clockOffsetS).toISOString();
    if (!f.hasUtcOffset) notes.push('the file does not state its offset to UTC: its time is read as UTC');
    if (clockOffsetS !== 0) notes.push(`the camera's clock is ${Math.abs(clockOffsetS).toFixed(0)} s ${clockOffsetS > 0 ? 'fast' : 'slow'}: corrected`);
  }
  if (Object.keys(cells).length === 0) notes.push('its metadata says nothing that a take needs');
  return { file: name, widthPx: f.widthPx, heightPx: f.heightPx, cells, unknownLens: f.lensModel && !lens ? f.lensModel : null, unknownBody: f.cameraModel && !body ? f.cameraModel : null, notes };
}
