import { luminance, type WorkingSpace } from '../colour/primaries';
import { xyzOfWorking } from '../colour/difference';
import { colourTemperature } from '../colour/temperature';
import { signed } from './signed';

/** Mid grey, of a white of 1. */
const MID_GREY = 0.18;

/** A value of linear light in short: its three channels, and stops from mid grey where its unit has one. */
export function shortValue(rgb: readonly number[], space: WorkingSpace, hasGrey: boolean): string {
  const y = luminance(rgb[0], rgb[1], rgb[2], space);
  const channels = rgb.map((v) => Number(v.toPrecision(3))).join(' ');
  return hasGrey && y > 0 ? `${channels} · ${signed(Math.log2(y / MID_GREY), 2)} stop` : channels;
}

/** The colour of light as working white is neutral: CIE xy, correlated colour temperature and distance from the locus; words where it has none. */
export function colourWords(rgb: readonly number[], space: WorkingSpace): string {
  const xyz = xyzOfWorking(rgb, space);
  const sum = xyz[0] + xyz[1] + xyz[2];
  if (!(sum > 0)) return 'no colour';
  const xy = `xy ${(xyz[0] / sum).toFixed(3)} ${(xyz[1] / sum).toFixed(3)}`;
  const white = colourTemperature(xyz);
  return white ? `${xy}, ${Math.round(white.cct / 10) * 10} K, Duv ${signed(white.duv, 3)}` : `${xy}, far from white`;
}
