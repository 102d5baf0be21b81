import type { CameraBody, ColourFinding, Take } from '@tawny/contract';
import { applyMatrix, rowSolidAngle, type ColourMatrix, type RgbImage } from '@tawny/core';

/** What is known of the colours of a panorama against a take's plate: the matrix to apply, or why there is none. */
export type TakeColour = { found: ColourFinding; why: null } | { found: null; why: string };

/** A matrix is that of a body and its recording format: colours of another are not lent. */
export function colourOfTake(
  found: ColourFinding | null,
  take: Pick<Take, 'bodyId' | 'formatName'>,
  bodies: readonly CameraBody[],
): TakeColour {
  if (!found) return { found: null, why: 'colour: nothing was matched, the colours are those of the panorama camera' };
  if (found.bodyId === take.bodyId && found.formatName === take.formatName) return { found, why: null };
  const body = bodies.find((b) => b.id === found.bodyId)?.name ?? 'a body that is gone';
  return {
    found: null,
    why: `colour: ${found.regions?.length > 0 ? 'regions were' : 'the chart was'} measured for ${body}, ${found.formatName}; the colours are those of the panorama camera`,
  };
}

/** A panorama with its colours matched, and the solid angle in which they leave the working primaries: such values stay negative. */
export function matchedPanorama(image: RgbImage, { matrix }: ColourFinding): { image: RgbImage; outsideSr: number } {
  const data = image.data.slice();
  applyMatrix(data, matrix as unknown as ColourMatrix);
  let outsideSr = 0;
  for (let y = 0; y < image.height; y++) {
    let row = 0;
    for (let i = 3 * y * image.width; i < 3 * (y + 1) * image.width; i += 3)
      if (
        (data[i] < 0 || data[i + 1] < 0 || data[i + 2] < 0) &&
        Math.min(image.data[i], image.data[i + 1], image.data[i + 2]) >= 0
      )
        row++;
    outsideSr += row * rowSolidAngle(y, image.width, image.height);
  }
  return { image: { ...image, data }, outsideSr };
}

/** How the colours were matched, for the page. */
export function colourWords({ kind, deltaE2000: d, patches, regions, veil }: ColourFinding, outsideSr: number): string {
  const used = patches.filter((p) => p.reason === null).length;
  const alone = d.leaveOneOutMean === null ? '' : `, ${d.leaveOneOutMean.toFixed(1)} of patches left out of the fit`;
  const outside = outsideSr > 0 ? `; ${outsideSr.toPrecision(2)} sr leave the primaries and stay negative` : '';
  const by = regions?.length > 0 ? 'things that both show' : 'a chart';
  const lifted = veil
    ? `; the plate's lens veils by ${(100 * Math.max(...veil)).toFixed(1)} % of white, which is not in the matrix`
    : '';
  return `matched to the plate by ${by}, ${kind === 'matrix' ? '3 x 3 matrix' : 'gains'} from ${used} patches: mean CIEDE2000 ${d.before.toFixed(1)} before, ${d.mean.toFixed(1)} after${alone}${lifted}${outside}`;
}
