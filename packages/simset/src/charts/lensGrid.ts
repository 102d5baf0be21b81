import { unprojectFromPlate, type PlateCamera } from '@tawny/core';

export interface LensGridInput {
  /** The camera whose lens bends the lines. */
  camera: PlateCamera;
  /** Lines across the picture's width. */
  lines: number;
  /** Turn of the board against the camera, degrees. */
  turnDeg: number;
}

/** A flat board of dark lines on white that fills the picture, seen through the camera's lens. @returns interleaved 8-bit RGB codes */
export function drawLensGrid({ camera, lines, turnDeg }: LensGridInput): Uint8Array {
  const { widthPx: width, heightPx: height, focalXPx, focalYPx } = camera;
  const out = new Uint8Array(width * height * 3);
  const pitch = width / focalXPx / lines;
  const half = 0.06 * pitch;
  const [c, s] = [Math.cos((turnDeg * Math.PI) / 180), Math.sin((turnDeg * Math.PI) / 180)];
  const soft = 1 / Math.min(focalXPx, focalYPx);
  const line = (v: number) => {
    const off = Math.abs(v - Math.round(v / pitch) * pitch);
    return Math.max(0, Math.min(1, (off - half) / soft + 0.5));
  };
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const ray = unprojectFromPlate(camera, x + 0.5, y + 0.5) ?? [0, 0, -1];
      const [u, v] = [ray[0] / -ray[2], ray[1] / ray[2]];
      const ink = Math.min(line(u * c + v * s), line(v * c - u * s));
      const code = Math.round(28 + 190 * ink * (1 - 0.15 * (u * u + v * v)));
      for (let k = 0; k < 3; k++) out[3 * (y * width + x) + k] = code;
    }
  }
  return out;
}
