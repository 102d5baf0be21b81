import { createImage, type RgbImage } from './image';

/** A picture made narrower by averaging over the area of each new pixel; one that is narrow enough comes back as it is. Proportions are kept to half a pixel. */
export function shrinkTo(image: RgbImage, widthPx: number): RgbImage {
  const { width, height } = image;
  if (widthPx >= width) return image;
  const out = createImage(widthPx, Math.max(1, Math.round((height * widthPx) / width)), image);
  const [sx, sy] = [width / out.width, height / out.height];
  const rows = new Float64Array(3 * out.width);
  for (let y = 0; y < out.height; y++) {
    rows.fill(0);
    const [top, bottom] = [y * sy, (y + 1) * sy];
    for (let j = Math.floor(top); j < Math.min(height, Math.ceil(bottom)); j++) {
      const tall = Math.min(j + 1, bottom) - Math.max(j, top);
      for (let x = 0; x < out.width; x++) {
        const [left, right] = [x * sx, (x + 1) * sx];
        for (let i = Math.floor(left); i < Math.min(width, Math.ceil(right)); i++) {
          const share = tall * (Math.min(i + 1, right) - Math.max(i, left));
          const o = 3 * (j * width + i);
          for (let c = 0; c < 3; c++) rows[3 * x + c] += share * image.data[o + c];
        }
      }
    }
    for (let k = 0; k < rows.length; k++) out.data[3 * y * out.width + k] = rows[k] / (sx * sy);
  }
  return out;
}
