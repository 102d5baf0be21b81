import { NOMINAL_LUMINANCE_PER_UNIT, photometricExposure } from '@tawny/core';

/** One rung: what is engraved, what is meant. */
export interface Rung {
  shutterS: number;
  shutterTag: { numerator: number; denominator: number };
  exposure: number;
}

export interface Ladder {
  rungs: Rung[];
  iso: number;
  fNumber: number;
  tStop: number;
  ndStops: number;
  /** Stops by which the shortest frame is still clipped by the brightest light; 0 when it holds it. */
  sunClippedStops: number;
}

const FASTEST_S = 1 / 8192;
const SLOWEST_S = 32;
const F_NUMBER = 16;
/** A frame is still useful for light this far below its saturation. */
const USEFUL_RATIO = 500;

const ENGRAVED = [
  8000, 6400, 5000, 4000, 3200, 2500, 2000, 1600, 1250, 1000, 800, 640, 500, 400, 320, 250, 200, 160, 125, 100, 80, 60,
  50, 40, 30, 25, 20, 15, 13, 10, 8, 6, 5, 4,
];

/** The engraving nearest to an exact time in thirds of a stop. */
function engraved(seconds: number): { numerator: number; denominator: number } {
  if (seconds < 0.29) {
    const denominator = ENGRAVED.reduce((a, b) =>
      Math.abs(Math.log2(seconds * b)) < Math.abs(Math.log2(seconds * a)) ? b : a,
    );
    return { numerator: 1, denominator };
  }
  const marks = [0.3, 0.4, 0.5, 0.6, 0.8, 1, 1.3, 1.6, 2, 2.5, 3.2, 4, 5, 6, 8, 10, 13, 15, 20, 25, 30];
  const mark = marks.reduce((a, b) => (Math.abs(Math.log2(seconds / b)) < Math.abs(Math.log2(seconds / a)) ? b : a));
  return { numerator: Math.round(mark * 10), denominator: 10 };
}

/**
 * Shutter times of a bracket from the brightest light and the typical luminance of the scene (cd/m2): the shortest frame holds the
 * brightest light when the span allows it without starving the shadows, else it is anchored at the shadows. Neutral density is chosen so
 * that the shortest time is 1/8000 s.
 */
export function planLadder(frames: number, stepEv: number, brightest: number, typical: number): Ladder {
  const third = (ev: number) => Math.round(ev * 3) / 3;
  const span = (frames - 1) * stepEv;
  const holdSun = 1.3 * brightest;
  const slowestCeiling = USEFUL_RATIO * typical;
  const darkestLevel = Math.min(holdSun, slowestCeiling * 2 ** span);
  const tStop = F_NUMBER / Math.sqrt(0.8);
  const open = photometricExposure({ shutterS: FASTEST_S, iso: 100, tStop, ndStops: 0 });
  const ndStops = Math.max(0, Math.ceil(Math.log2((open * darkestLevel) / NOMINAL_LUMINANCE_PER_UNIT)));
  const wanted = (NOMINAL_LUMINANCE_PER_UNIT / darkestLevel / open) * FASTEST_S * 2 ** ndStops;
  const shortest = Math.max(FASTEST_S, Math.min(wanted, SLOWEST_S / 2 ** span));
  const rungs = Array.from({ length: frames }, (_, k): Rung => {
    const shutterS = 2 ** (Math.floor(Math.log2(shortest) * 3 + 1e-9) / 3 + third(k * stepEv));
    return {
      shutterS,
      shutterTag: engraved(shutterS),
      exposure: photometricExposure({ shutterS, iso: 100, tStop, ndStops }),
    };
  });
  const held = NOMINAL_LUMINANCE_PER_UNIT / rungs[0].exposure;
  return {
    rungs,
    iso: 100,
    fNumber: F_NUMBER,
    tStop,
    ndStops,
    sunClippedStops: Math.max(0, Math.log2(brightest / held)),
  };
}
