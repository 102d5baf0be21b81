/**
 * Binomial smoothing (1 2 1) of a plane in both directions, in place. The upper and lower border stay; left and right stay as well, or are neighbours when `around`.
 * @param plane row-major, width x height
 */
export function smooth(plane: Float32Array, width: number, height: number, around = false): void {
  const row = new Float32Array(width);
  for (let y = 0; y < height; y++) {
    const o = y * width;
    row.set(plane.subarray(o, o + width));
    for (let x = 0; x < width; x++) {
      if (!around && (x === 0 || x === width - 1)) continue;
      plane[o + x] = (row[(x + width - 1) % width] + 2 * row[x] + row[(x + 1) % width]) / 4;
    }
  }
  const column = new Float32Array(height);
  for (let x = 0; x < width; x++) {
    for (let y = 0; y < height; y++) column[y] = plane[y * width + x];
    for (let y = 1; y < height - 1; y++) plane[y * width + x] = (column[y - 1] + 2 * column[y] + column[y + 1]) / 4;
  }
}
