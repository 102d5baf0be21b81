import {
  attitudeFromQuaternion,
  detectSun,
  multiply,
  turnKeepingFlux,
  turnPanorama,
  yawQuaternion,
  type ExpectedHeight,
  type Quaternion,
  type RgbImage,
} from '@tawny/core';
import { turned } from '@tawny/pipeline';

export interface Placing {
  /** Panorama to the world, or to the set frame in which the camera looks along azimuth 0; null while nothing is known: the panorama stays as its rig stood. */
  rotation: Quaternion | null;
  /** Whether that frame's azimuth 0 is true north. */
  north: boolean;
  /** The take's plate is mirrored left to right. */
  flopped: boolean;
  /** Bearing of the take's camera in that frame; null when it was not logged. */
  headingDeg: number | null;
}

/** What is known of the sun in a panorama, so that it is turned as a light. */
export interface KnownSun {
  clipped: boolean;
  expected: ExpectedHeight;
}

/**
 * A panorama as a take's package hands it on: in the world, or in the set's frame while north is unknown. Of a flopped plate everything is
 * mirrored about the upright plane that the camera looks along (about azimuth 0 of the frame where its heading or north is not known), so that
 * CG matches the plate as it is delivered, and the camera stays where it was logged.
 */
export function placePanorama(source: RgbImage, placing: Placing, sun: KnownSun | null): RgbImage {
  const { rotation, flopped, headingDeg } = placing;
  if (!flopped) return rotation === null ? source : turnBy(source, rotation, sun);
  const mirrored = turned(source, { mirrored: true, upsideDown: false });
  if (rotation === null) return mirrored;
  // In the frame of the camera's heading the mirror swaps left and right: so does the turn.
  const h = yawQuaternion(headingDeg ?? 0);
  const [x, y, z, w] = multiply(yawQuaternion(-(headingDeg ?? 0)), rotation);
  return turnBy(mirrored, multiply(h, [x, -y, -z, w]), sun);
}

/** About the vertical rows keep their sums to rounding; a whole rotation carries the sun over as a light. */
function turnBy(image: RgbImage, q: Quaternion, sun: KnownSun | null): RgbImage {
  if (Math.hypot(q[0], q[2]) < 1e-7) return turnPanorama(image, attitudeFromQuaternion(q).headingDeg);
  return turnKeepingFlux(image, q, sun && detectSun(image, sun));
}

/** How the package's names say in which frame its panorama lies. */
export function frameSuffix({ north, flopped }: Placing): string {
  return `${north ? '' : '_set-frame'}${flopped ? '_flopped' : ''}`;
}

/** The same in words. */
export function frameWords({ rotation, north, flopped, headingDeg }: Placing): string {
  const shared = rotation === null ? '' : '; the camera looks along azimuth 0';
  const frame = north ? 'north-aligned' : `set frame, north unknown${shared}`;
  if (!flopped) return frame;
  if (!north) return `${frame}; mirrored left to right as the plate is`;
  return headingDeg === null
    ? "mirrored left to right about north as the plate is: its camera's heading was not logged"
    : `mirrored left to right as the plate is, about the camera's heading ${headingDeg.toFixed(2)} deg true`;
}
