import type { CameraBody, FileCells, LensRecord } from '@tawny/contract';
import { exactShutterSeconds } from '@tawny/core';
import type { FileFacts } from '../decode/tasks';
import { fileTime } from '../records/fileTime';

const plain = (t: string) => t.toLowerCase().replace(/[^a-z0-9]/g, '');

/**
 * Cells of a take that a file's metadata fills. Tags are a prior: nominal values are decoded to exact ones, a 35 mm equivalent is never taken for
 * a focal length, an f-number never for a T-stop unless the lens of the kit tells its transmission.
 */
export function cellsFromFile(
  f: FileFacts,
  name: string,
  bodies: readonly CameraBody[],
  lenses: readonly LensRecord[],
  clock: { offsetS: number; zone: string | null },
): FileCells {
  const cells: FileCells['cells'] = {};
  const notes: string[] = [];
  const body = f.cameraModel ? bodies.find((b) => plain(b.name) === plain(f.cameraModel!)) : undefined;
  const lens = f.lensModel
    ? lenses.find((l) => plain(f.lensModel!).includes(plain(l.name)) || plain(l.name).includes(plain(f.lensModel!)))
    : undefined;
  if (body) {
    cells.bodyId = body.id;
    const format = body.formats.find((x) => x.widthPx === f.widthPx && x.heightPx === f.heightPx);
    if (format) cells.formatName = format.name;
    else if (f.widthPx) notes.push(`${f.widthPx} × ${f.heightPx} px is no recording format of ${body.name} in the kit`);
  }
  if (lens) cells.lensId = lens.id;
  if (f.focalLengthMm !== null) cells.focalLengthMm = Number(f.focalLengthMm.toFixed(2));
  else if (f.focal35Mm !== null)
    notes.push(`the file states only a 35 mm equivalent (${f.focal35Mm} mm): that is no focal length`);
  if (f.focal35Mm !== null && f.focalLengthMm !== null) notes.push(`35 mm equivalent ${f.focal35Mm} mm, kept apart`);
  if (f.digitalZoom !== null && f.digitalZoom > 1.01)
    notes.push(`digital zoom ${f.digitalZoom.toFixed(2)} ×: the sensor window is that much smaller`);
  if (f.iso !== null) cells.ei = Math.round(f.iso);
  if (f.fNumber !== null) {
    if (lens && lens.transmission !== null) {
      cells.tStop = Number((f.fNumber / Math.sqrt(lens.transmission)).toFixed(2));
      notes.push(`f/${f.fNumberTag} and a transmission of ${lens.transmission} make T${cells.tStop}`);
    } else
      notes.push(
        `f/${f.fNumberTag} stated; the T-stop needs ${lens ? `the transmission of ${lens.name}` : 'a lens of the kit'}`,
      );
  }
  if (f.framesPerSecond !== null) cells.fps = Number(f.framesPerSecond.toFixed(3));
  if (f.focusM !== null) cells.focusM = Number(f.focusM.toFixed(3));
  if (f.shutterTagS !== null) {
    const exact = exactShutterSeconds(f.shutterTagS);
    notes.push(
      `shutter ${f.shutterTagS >= 0.3 ? `${f.shutterTagS} s` : `1/${Math.round(1 / f.shutterTagS)} s`}${Math.abs(exact / f.shutterTagS - 1) > 1e-6 ? ` stands for 1/${(1 / exact).toFixed(1)} s` : ''}`,
    );
    const fps = f.framesPerSecond ?? 24;
    const angle = f.shutterTagS * 360 * fps;
    if (angle <= 360 + 1e-6) cells.shutterAngleDeg = Number(Math.min(360, angle).toFixed(2));
  }
  const time = fileTime(f, clock.zone ?? 'utc');
  if (time) {
    const { offsetS, zone } = clock;
    cells.shotAt = new Date(time.at.getTime() - 1000 * offsetS).toISOString();
    if (time.zoneFrom === 'location')
      notes.push(
        `the file does not state its offset to UTC: its time is read ${zone === null ? 'as UTC' : `in ${zone}`}`,
      );
    if (offsetS !== 0)
      notes.push(`the camera's clock is ${Math.abs(offsetS).toFixed(0)} s ${offsetS > 0 ? 'fast' : 'slow'}: corrected`);
  }
  if (Object.keys(cells).length === 0) notes.push('its metadata says nothing that a take needs');
  return {
    file: name,
    widthPx: f.widthPx,
    heightPx: f.heightPx,
    cells,
    unknownLens: f.lensModel && !lens ? f.lensModel : null,
    unknownBody: f.cameraModel && !body ? f.cameraModel : null,
    notes,
  };
}
