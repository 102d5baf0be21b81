import { turnPanorama, type RgbImage } from '@tawny/core';
import { turned } from '@tawny/pipeline';

export interface Placing {
  /** Degrees to add to every azimuth so that north is 0; null while north is unknown: the panorama stays as its rig stood. */
  yawDeg: number | null;
  /** The take's plate is mirrored left to right. */
  flopped: boolean;
  /** True bearing of the take's camera; null when it was not logged. */
  headingDeg: number | null;
}

/**
 * A panorama as a take's package hands it on: in the world, or in the set's frame while north is unknown. Of a flopped plate everything is
 * mirrored about the upright plane that the camera looks along (about azimuth 0 of the frame where its heading or north is not known), so that
 * CG matches the plate as it is delivered, and the camera stays where it was logged.
 */
export function placePanorama(source: RgbImage, { yawDeg, flopped, headingDeg }: Placing): RgbImage {
  if (!flopped) return yawDeg === null ? source : turnPanorama(source, yawDeg);
  const mirrored = turned(source, { mirrored: true, upsideDown: false });
  // An azimuth a of the picture is a + yaw in the world and 2 heading - (a + yaw) in the mirror.
  return yawDeg === null ? mirrored : turnPanorama(mirrored, 2 * (headingDeg ?? 0) - yawDeg);
}

/** How the package's names say in which frame its panorama lies. */
export function frameSuffix({ yawDeg, flopped }: Placing): string {
  return `${yawDeg === null ? '_set-frame' : ''}${flopped ? '_flopped' : ''}`;
}

/** The same in words. */
export function frameWords({ yawDeg, flopped, headingDeg }: Placing): string {
  const north = yawDeg === null ? 'set frame, north unknown' : 'north-aligned';
  if (!flopped) return north;
  if (yawDeg === null) return `${north}; mirrored left to right as the plate is`;
  return headingDeg === null
    ? "mirrored left to right about north as the plate is: its camera's heading was not logged"
    : `mirrored left to right as the plate is, about the camera's heading ${headingDeg.toFixed(2)} deg true`;
}
