import { createImage, type RgbImage } from '../image/image';
import { anglesAtPixel } from '../sphere/latlong';
import { directionFromAngles } from '../sphere/direction';
import { COVERED, UNSEEN } from '../sphere/mask';

export interface BallOutline {
  /** Outline of the ball in the picture, pixels. */
  centreX: number;
  centreY: number;
  radiusPx: number;
}

export interface UnwrappedBall {
  /** Latitude-longitude panorama in the camera's frame turned level: its heading stands at azimuth 0, black in the blind cone. */
  panorama: RgbImage;
  /** 0 seen, 2 hidden behind the ball. */
  mask: Uint8Array;
  /** Half angle of the cone behind the ball that it cannot show, degrees. */
  blindConeDeg: number;
  /** Pixels of the photograph for a degree of the panorama: towards the camera, and sideways. */
  pxPerDegree: { towardsCamera: number; sideways: number };
}

/**
 * Unwraps the photograph of a mirror ball by its exact reflection: for a direction the point of the ball that sends it to the camera is found by Newton
 * steps on the angle of the point (law of reflection in the plane of camera, ball and direction).
 * @param picture linear, upright
 * @param focalPx focal length of the photograph in pixels: with the outline it tells the distance in ball radii
 * @param reflectance of the ball, divided out
 * @throws RangeError when the outline does not lie in the picture
 */
export function unwrapBall(
  picture: RgbImage,
  ball: BallOutline,
  focalPx: number,
  width: number,
  reflectance = 1,
): UnwrappedBall {
  const { centreX, centreY, radiusPx } = ball;
  if (
    !(radiusPx > 4) ||
    centreX - radiusPx < -1 ||
    centreY - radiusPx < -1 ||
    centreX + radiusPx > picture.width + 1 ||
    centreY + radiusPx > picture.height + 1
  ) {
    throw new RangeError('the outline of the ball must lie inside the picture and be more than 4 px in radius');
  }
  if (!(reflectance > 0 && reflectance <= 1)) throw new RangeError('reflectance is between 0 and 1');
  // The outline is the cone that touches the ball: sin(half angle) = 1 / distance in radii.
  const half = Math.atan(radiusPx / focalPx);
  const distance = 1 / Math.sin(half);
  const panorama = createImage(width, width / 2, picture);
  const mask = new Uint8Array(width * (width / 2));
  const grazing = Math.acos(1 / distance);
  /** Angle at the ball's centre between camera and the point that reflects direction angle beta (from the camera's side) to the camera. */
  const pointAngle = (beta: number): number => {
    let a = beta / 2;
    for (let k = 0; k < 12; k++) {
      // Incoming ray from the point to the camera leaves at angle atan2(sin a, distance - cos a) beyond the normal.
      const out = a + Math.atan2(Math.sin(a), distance - Math.cos(a));
      const f = a + out - beta;
      const denominator = distance * distance - 2 * distance * Math.cos(a) + 1;
      const slope = 2 + (distance * Math.cos(a) - 1) / denominator;
      a -= f / slope;
      if (Math.abs(f) < 1e-12) break;
    }
    return a;
  };
  for (let y = 0; y < panorama.height; y++) {
    for (let x = 0; x < width; x++) {
      const angles = anglesAtPixel(x, y, width, panorama.height);
      const d = directionFromAngles(angles.azimuthDeg, angles.elevationDeg);
      const i = y * width + x;
      // From the ball the camera lies behind the picture plane: +Z.
      const beta = Math.acos(Math.max(-1, Math.min(1, d[2])));
      const a = pointAngle(beta);
      if (a > grazing) {
        mask[i] = UNSEEN;
        continue;
      }
      const side = Math.hypot(d[0], d[1]);
      const ux = side > 1e-9 ? d[0] / side : 0;
      const uy = side > 1e-9 ? d[1] / side : 0;
      const r = (focalPx * Math.sin(a)) / (distance - Math.cos(a));
      sample(picture, centreX + r * ux, centreY - r * uy, panorama.data, 3 * i, 1 / reflectance);
    }
  }
  const radiusAt = (beta: number) => {
    const a = pointAngle(beta);
    return (focalPx * Math.sin(a)) / (distance - Math.cos(a));
  };
  const rate = (beta: number) => ((radiusAt(beta + 0.01) - radiusAt(beta - 0.01)) / 0.02) * (Math.PI / 180);
  return {
    panorama,
    mask,
    blindConeDeg: (Math.asin(1 / distance) * 180) / Math.PI,
    pxPerDegree: { towardsCamera: rate(0.02), sideways: rate(Math.PI / 2) },
  };
}

function sample(p: RgbImage, x: number, y: number, out: Float32Array, o: number, scale: number): void {
  const fx = Math.max(0, Math.min(p.width - 1.001, x - 0.5));
  const fy = Math.max(0, Math.min(p.height - 1.001, y - 0.5));
  const [xa, ya] = [Math.floor(fx), Math.floor(fy)];
  const [tx, ty] = [fx - xa, fy - ya];
  const i = 3 * (ya * p.width + xa);
  const j = i + 3 * p.width;
  for (let c = 0; c < 3; c++)
    out[o + c] =
      scale *
      ((p.data[i + c] * (1 - tx) + p.data[i + 3 + c] * tx) * (1 - ty) +
        (p.data[j + c] * (1 - tx) + p.data[j + 3 + c] * tx) * ty);
}

/**
 * Two photographs of the ball from different sides as one panorama: each direction from the photograph that sees it better, with a soft passage; what one hides behind the ball, and where the
 * camera stands in its own reflection, the other shows.
 * @param turnDeg heading of the second camera against the first's, degrees clockwise
 * @throws RangeError when the panoramas differ in size
 */
export function combineBalls(
  first: UnwrappedBall,
  second: UnwrappedBall,
  turnDeg: number,
): Pick<UnwrappedBall, 'panorama' | 'mask'> {
  const { width, height } = first.panorama;
  if (second.panorama.width !== width) throw new RangeError('both panoramas must have the same width');
  const panorama = createImage(width, height, first.panorama);
  const mask = new Uint8Array(width * height);
  /** Best at right angles to the camera's axis: ahead lies the blind cone, behind the camera itself. */
  const worth = (azimuthDeg: number, elevationDeg: number) => {
    const d = directionFromAngles(azimuthDeg, elevationDeg);
    const ahead = -d[2];
    return Math.max(0, 1 - ahead * ahead) ** 4;
  };
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const a = anglesAtPixel(x, y, width, height);
      const i = y * width + x;
      const u = Math.floor((((((a.azimuthDeg - turnDeg) % 360) + 360) % 360) / 360) * width);
      const j = y * width + u;
      const p = first.mask[i] === COVERED ? worth(a.azimuthDeg, a.elevationDeg) + 1e-3 : 0;
      const q = second.mask[j] === COVERED ? worth(a.azimuthDeg - turnDeg, a.elevationDeg) + 1e-3 : 0;
      if (p + q === 0) {
        mask[i] = UNSEEN;
        continue;
      }
      for (let c = 0; c < 3; c++)
        panorama.data[3 * i + c] = (p * first.panorama.data[3 * i + c] + q * second.panorama.data[3 * j + c]) / (p + q);
    }
  }
  return { panorama, mask };
}
