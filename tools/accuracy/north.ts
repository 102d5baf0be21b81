import {
  anglesFromDirection,
  DEG,
  detectSun,
  fromRotationVector,
  multiply,
  northFromSun,
  rotate,
  sigmaOf95,
  sunPosition,
  UNKNOWN_LEVEL_DEG,
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

/** Some place at some time, and the turn of a panorama shot there. Null when no sun stands in the wanted part of the sky. */
function skyOf(random: ReturnType<typeof createRandom>, lowestDeg: number, highestDeg: number) {
  const place: Place = {
    latitudeDeg: -60 + 120 * random.next(),
    longitudeDeg: -180 + 360 * random.next(),
    altitudeM: 0,
  };
  const utc = new Date(Date.UTC(2026, 0, 1) + 365 * 86400000 * random.next());
  const sun = sunPosition(place, utc);
  if (sun.elevationDeg < lowestDeg || sun.elevationDeg > highestDeg) return null;
  return { place, utc, sun, trueYaw: -180 + 360 * random.next() };
}

/** One panorama off level and with a clock that is off, both as far as `northFromSun` is told they may be (95 %). Null when no sun stands in the wanted sky. */
function trial(seed: number): NorthTrial | null {
  const random = createRandom(seed, 'north');
  const sky = skyOf(random, 3, 45);
  if (!sky) return null;
  const { place, utc, sun, trueYaw } = sky;
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

/** How the level is known: 95 % half width as stated to the computation, null when nobody knows it. */
const LEVELS: [string, number | null][] = [
  ['level unknown', null],
  ['rig set by its bubble (0.5°)', 0.5],
  ['level measured (0.15°)', 0.15],
];
const CLOCKS = [3, 30, 180];
/** As the finder states it for a clear disc. */
const DISC_DEG = 0.06;

/** One set without a picture: sun seen through a rig off level and a clock that is off, both drawn from what is stated. */
function unrendered(seed: number, levelDeg: number | null, clockS: number): NorthTrial | null {
  const random = createRandom(seed, `north ${levelDeg} ${clockS}`);
  const sky = skyOf(random, 4, 65);
  if (!sky) return null;
  const { place, utc, sun, trueYaw } = sky;
  const lean = sigmaOf95(levelDeg ?? UNKNOWN_LEVEL_DEG);
  const aim = sigmaOf95(DISC_DEG);
  const tilt = fromRotationVector([lean * random.normal() * DEG, 0, lean * random.normal() * DEG]);
  const own = rotate(multiply(tilt, yawQuaternion(-trueYaw)), sun.direction);
  const seen = anglesFromDirection(own);
  const elevationDeg = seen.elevationDeg + aim * random.normal();
  const detected = {
    azimuthDeg: seen.azimuthDeg + (aim * random.normal()) / Math.cos(elevationDeg * DEG),
    elevationDeg,
    uncertaintyDeg: DISC_DEG,
  };
  const stated = new Date(utc.getTime() + sigmaOf95(clockS) * random.normal() * 1000);
  const north = northFromSun({ detected, place, utc: stated, levelDeg, clockS });
  return { error: wrap180(north.yawDeg - trueYaw), half: north.uncertaintyDeg, elevationDeg: sun.elevationDeg };
}

/** North by what is known of level and clock, without pictures: many sets of each stratum. */
export function northStrataSection(sets: number): Section {
  const rows = LEVELS.flatMap(([name, levelDeg]) =>
    CLOCKS.map((clockS) => {
      const trials: NorthTrial[] = [];
      for (let seed = 1; trials.length < sets; seed++) {
        const t = unrendered(seed, levelDeg, clockS);
        if (t) trials.push(t);
      }
      const inside = trials.filter((t) => Math.abs(t.error) <= t.half).length / sets;
      // Sets differ in how well north can be known: each interval against its own error.
      const spread = 1 / quantile(trials.map((t) => Math.abs(t.error) / t.half), 0.95); // prettier-ignore
      const median = quantile(trials.map((t) => t.half), 0.5); // prettier-ignore
      return {
        what: `${name}, clock ± ${clockS} s: north inside its 95 % interval; width over the empirical one; median half width`,
        bound: '93-97 %, at most 1.3',
        measured: `${(100 * inside).toFixed(1)} %, ${spread.toFixed(2)}, ${median.toFixed(2)}°`,
        holds: inside >= 0.93 && inside <= 0.97 && spread <= 1.3,
      };
    }),
  );
  return {
    title: 'North by what is known of level and clock',
    how: `${sets} sets a stratum without pictures: random places and times with the sun 4° to 65° high, clocks normal with the stated 95 % half width, levels from what is stated of them (unknown: ± ${UNKNOWN_LEVEL_DEG}°), the disc seen to ± ${DISC_DEG}°.`,
    rows,
  };
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
