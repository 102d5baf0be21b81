import {
  DEG,
  detectSun,
  fromRotationVector,
  multiply,
  northFromSun,
  rotate,
  sigmaOf95,
  sunPosition,
  wrap180,
  yawQuaternion,
  type Place,
} from '@tawny/core';
import { createRandom } from '@tawny/simset';
import { plainSunLux, sunnyPanorama } from './syntheticPanorama';
import { quantile, rms, type Section } from './table';

const WIDTH = 1024;
const LEVEL_DEG = 0.1;
const CLOCK_S = 10;

interface NorthTrial {
  error: number;
  half: number;
  elevationDeg: number;
}

/** One panorama off level and with a clock that is off, both as far as `northFromSun` is told they may be (95 %). Null when no sun stands in the wanted sky. */
function trial(seed: number): NorthTrial | null {
  const random = createRandom(seed, 'north');
  const place: Place = {
    latitudeDeg: -60 + 120 * random.next(),
    longitudeDeg: -180 + 360 * random.next(),
    altitudeM: 0,
  };
  const utc = new Date(Date.UTC(2026, 0, 1) + 365 * 86400000 * random.next());
  const sun = sunPosition(place, utc);
  if (sun.elevationDeg < 3 || sun.elevationDeg > 45) return null;
  const trueYaw = -180 + 360 * random.next();
  const tilt = fromRotationVector([
    sigmaOf95(LEVEL_DEG) * random.normal() * DEG,
    0,
    sigmaOf95(LEVEL_DEG) * random.normal() * DEG,
  ]);
  const own = rotate(multiply(tilt, yawQuaternion(-trueYaw)), sun.direction);
  const { image } = sunnyPanorama(random, WIDTH, own, plainSunLux(sun.elevationDeg));
  const detected = detectSun(image);
  if (!detected) throw new Error(`seed ${seed}: the sun was not found`);
  const stated = new Date(utc.getTime() + sigmaOf95(CLOCK_S) * random.normal() * 1000);
  const north = northFromSun({ detected, place, utc: stated, levelDeg: LEVEL_DEG, clockS: CLOCK_S });
  return { error: wrap180(north.yawDeg - trueYaw), half: north.uncertaintyDeg, elevationDeg: sun.elevationDeg };
}

/** North over randomised places, days, levels and clocks: does the truth lie inside the stated interval? */
export function northCoverageSection(sets: number): Section {
  const trials: NorthTrial[] = [];
  for (let seed = 1; trials.length < sets; seed++) {
    const t = trial(seed);
    if (t) trials.push(t);
  }
  const inside = trials.filter((t) => Math.abs(t.error) <= t.half).length / sets;
  const spread = rms(trials.map((t) => t.error / sigmaOf95(t.half)));
  const errors = trials.map((t) => Math.abs(t.error));
  const width =
    quantile(
      trials.map((t) => t.half),
      0.5,
    ) / quantile(errors, 0.95);
  return {
    title: 'Stated uncertainty of north',
    how: `${sets} synthetic panoramas (${WIDTH} px) at random places and times with the sun 3° to 45° high, off level by ${LEVEL_DEG}° and with clocks off by ${CLOCK_S} s (95 % half widths, as stated to the computation).`,
    rows: [
      {
        what: 'truth inside the stated 95 % interval',
        bound: '92-98 %',
        measured: `${(100 * inside).toFixed(1)} %`,
        holds: inside >= 0.92 && inside <= 0.98,
      },
      {
        what: 'standard deviation of the normalised error',
        bound: '0.85-1.15',
        measured: spread.toFixed(2),
        holds: spread >= 0.85 && spread <= 1.15,
      },
      {
        what: 'median half width over the 95th percentile of the error',
        bound: '1.3',
        measured: width.toFixed(2),
        holds: width <= 1.3,
      },
      {
        what: 'error, 95th percentile',
        bound: '0.15°',
        measured: `${quantile(errors, 0.95).toFixed(3)}°`,
        holds: quantile(errors, 0.95) <= 0.15,
      },
    ],
  };
}
