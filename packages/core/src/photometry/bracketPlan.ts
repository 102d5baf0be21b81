import { sunPosition, type Place } from '../sun/ephemeris';
import { SUN_SOLID_ANGLE } from '../sun/solidAngle';
import { RESPONSE_UNTOLD, WIDE_STEP_STOPS } from '../sphere/responseTold';
import { arcDeg, DEG } from '../sphere/direction';
import { NOMINAL_LUMINANCE_PER_UNIT, photometricExposure } from './exposure';

/** What the bracket has to hold, cd/m2. */
export interface BracketNeed {
  darkest: number;
  brightest: number;
}

/** What the camera can do. Aperture and ISO stay fixed: only the shutter moves, then ND. */
export interface BracketCamera {
  fastestS: number;
  slowestS: number;
  iso: number;
  tStop: number;
  /** ND that can be put on, stops, 0 among them. */
  ndStops: readonly number[];
  /** 8-bit files hold less below white than 14-bit linear ones. */
  bits: 8 | 14;
  stepEv: number;
  mostFrames: number;
  /** Lamps on the mains flicker at twice this; null by daylight. */
  mainsHz: 50 | 60 | null;
}

export interface PlannedRung {
  shutterS: number;
  /** 0 or the plan's ND. */
  ndStops: number;
  /** Photometric exposure X. */
  exposure: number;
  /** cd/m2 that it records well. */
  holds: { from: number; to: number };
}

export interface BracketPlan {
  /** Shortest first. */
  rungs: PlannedRung[];
  /** ND of the frames that need it; 0 when none does. */
  ndStops: number;
  /** Stops by which the brightest lies over what the shortest frame holds; 0 when it is held. */
  missingBrightStops: number;
  missingDarkStops: number;
  /** ND that would hold the brightest with the fastest shutter, stops. */
  neededNdStops: number;
  /** Time of one view, shutters and the camera's pause between frames. */
  viewS: number;
  warnings: string[];
}

/** Stops below white that a frame records with a tenth of noise or less: 30 000 electrons, 4 of read noise; 8-bit codes from 20 up. */
const USEFUL_STOPS = { 8: 7, 14: 8 } as const;
/** A frame is used up to this share of its white. */
const HEADROOM = 0.95;
const PAUSE_S = 0.25;
/** Taking the ND off without touching anything else. */
const SWAP_S = 5;
const third = (ev: number) => Math.round(3 * ev) / 3;

/**
 * A bracket that spans from the deepest shadow to the brightest light, or says by how many stops it can't and which ND would. Only the shutter moves; what is brighter than the fastest
 * shutter holds is taken through the least ND that holds it, the rest without. From there the steps go up until the longest frame holds the shadow. With too few frames the step grows to
 * 3 EV, then the dark end gives way: highlights cannot be had back. Under lamps on the mains times are made whole half-cycles where they are long enough.
 * @throws RangeError for values that no camera or scene has
 */
export function planBracket(need: BracketNeed, camera: BracketCamera): BracketPlan {
  const { iso, tStop, fastestS, slowestS } = camera;
  if (!(need.darkest > 0 && need.brightest >= need.darkest))
    throw new RangeError(
      `the scene must reach from a luminance above 0 to a larger one, not ${need.darkest} to ${need.brightest} cd/m²`,
    );
  if (!(slowestS > fastestS && fastestS > 0))
    throw new RangeError('the slowest shutter must be longer than the fastest');
  if (!(camera.stepEv >= 1 / 3 && camera.stepEv <= 4))
    throw new RangeError(`the step must be 1/3 to 4 EV, not ${camera.stepEv}`);
  if (camera.ndStops.length === 0) throw new RangeError('state the ND that can be put on, 0 among them');
  const exposureOf = (shutterS: number, ndStops: number) => photometricExposure({ shutterS, iso, tStop, ndStops });
  const wantedX = (HEADROOM * NOMINAL_LUMINANCE_PER_UNIT) / need.brightest;
  const neededNdStops = Math.max(0, Math.log2(exposureOf(fastestS, 0) / wantedX));
  const filters = [...camera.ndStops].sort((a, b) => a - b);
  const ndStops = filters.find((nd) => nd >= neededNdStops - 1e-9) ?? filters[filters.length - 1];
  const useful = USEFUL_STOPS[camera.bits];

  /** The longest engraved shutter that exposes no more than X, and the ND that it needs. */
  const frameFor = (x: number) => {
    const nd = x >= exposureOf(fastestS, 0) * (1 - 1e-9) ? 0 : ndStops;
    const dial = Math.floor(3 * Math.log2(x / exposureOf(fastestS, nd)) + 1e-6) / 3;
    return { nd, shutterS: Math.min(slowestS, fastestS * 2 ** Math.max(0, dial)) };
  };
  const shortestX = exposureOf(frameFor(wantedX).shutterS, frameFor(wantedX).nd);
  const spanEv = Math.max(0, Math.log2((HEADROOM * NOMINAL_LUMINANCE_PER_UNIT) / shortestX / need.darkest) - useful);
  let stepEv = camera.stepEv;
  if (Math.ceil(spanEv / stepEv - 1e-9) + 1 > camera.mostFrames && camera.mostFrames > 1)
    stepEv = Math.min(3, Math.max(stepEv, Math.ceil((3 * spanEv) / (camera.mostFrames - 1) - 1e-9) / 3));
  const frames = Math.min(camera.mostFrames, Math.ceil(spanEv / stepEv - 1e-9) + 1);
  const warnings: string[] = [];
  if (stepEv > camera.stepEv + 1e-9)
    warnings.push(`with ${camera.mostFrames} frames the step has to be ${stepEv.toFixed(1)} EV`);
  // Frames of more bits say what their codes mean.
  if (stepEv >= WIDE_STEP_STOPS && frames > 1 && camera.bits === 8)
    warnings.push(`steps of ${stepEv.toFixed(1)} EV: ${RESPONSE_UNTOLD}`);
  const rungs: PlannedRung[] = [];
  for (let k = 0; k < frames; k++) {
    const x = shortestX * 2 ** third(k * stepEv);
    const { nd, shutterS: dialled } = frameFor(x);
    // The slowest shutter exposes less than wanted: longer there is nothing.
    if (rungs.length > 0 && dialled <= rungs[rungs.length - 1].shutterS && nd === rungs[rungs.length - 1].ndStops)
      break;
    const half = camera.mainsHz ? 1 / (2 * camera.mainsHz) : 0;
    const shutterS = half > 0 && dialled >= half ? Math.round(dialled / half) * half : dialled;
    const exposure = exposureOf(shutterS, nd);
    const top = (HEADROOM * NOMINAL_LUMINANCE_PER_UNIT) / exposure;
    rungs.push({ shutterS, ndStops: nd, exposure, holds: { from: top / 2 ** useful, to: top } });
  }
  const missingBrightStops = Math.max(0, Math.log2(need.brightest / rungs[0].holds.to));
  const missingDarkStops = Math.max(0, Math.log2(rungs[rungs.length - 1].holds.from / need.darkest));
  const filtered = rungs.filter((r) => r.ndStops > 0).length;
  if (missingBrightStops > 0.05)
    warnings.push(
      `the brightest light is ${missingBrightStops.toFixed(1)} stops over the shortest frame: ND of ${Math.ceil(neededNdStops)} stops would hold it`,
    );
  if (missingDarkStops > 0.05)
    warnings.push(
      `the deepest shadow is ${missingDarkStops.toFixed(1)} stops under the longest frame: more frames or longer times would hold it`,
    );
  if (filtered > 0 && filtered < rungs.length)
    warnings.push(
      `${filtered} frame${filtered === 1 ? '' : 's'} with the ND, ${rungs.length - filtered} without: touch nothing else when it comes off`,
    );
  if (camera.mainsHz) {
    const short = rungs.filter((r) => r.shutterS < 1 / (2 * camera.mainsHz!) - 1e-9).length;
    if (short > 0)
      warnings.push(
        `${short} frame${short === 1 ? ' is' : 's are'} shorter than a half-cycle of ${camera.mainsHz} Hz: lamps will flicker in ${short === 1 ? 'it' : 'them'}; use ND instead of short times, or steady lamps`,
      );
  }
  const gap = rungs.slice(1).find((r, i) => r.holds.to < rungs[i].holds.from);
  if (gap) warnings.push('neighbouring frames hold no common light: take smaller steps');
  const swapS = filtered > 0 && filtered < rungs.length ? SWAP_S : 0;
  return {
    rungs,
    ndStops: filtered > 0 ? ndStops : 0,
    missingBrightStops,
    missingDarkStops,
    neededNdStops,
    viewS: rungs.reduce((s, r) => s + r.shutterS + PAUSE_S, swapS),
    warnings,
  };
}

/** Luminance of the clear sun's disc at an elevation, cd/m2: 128 klx outside the air, dimmed by 0.21 an air mass (Kasten and Young), over its solid angle. A prior, ± 0.5 stop. */
export function clearSunLuminance(elevationDeg: number): number {
  if (elevationDeg <= 0) return 0;
  const airMass = 1 / (Math.sin(elevationDeg * DEG) + 0.50572 * (elevationDeg + 6.07995) ** -1.6364);
  return (128000 * Math.exp(-0.21 * airMass)) / SUN_SOLID_ANGLE;
}

export interface RoundTime {
  seconds: number;
  /** How far the sun moves meanwhile, degrees of arc. */
  sunDriftDeg: number;
}

/** How long a round takes and how far the sun moves in it. */
export function roundTime(views: number, viewS: number, turnS: number, place: Place, at: Date): RoundTime {
  const seconds = views * viewS + Math.max(0, views - 1) * turnS;
  const [a, b] = [at, new Date(at.getTime() + 1000 * seconds)].map((t) => sunPosition(place, t).direction);
  return { seconds, sunDriftDeg: arcDeg(a, b) };
}

export interface ViewRow {
  tiltDeg: number;
  views: number;
}

/**
 * Views that cover the sphere with a field of view across and up and a share of overlap between neighbours. A fisheye that sees a hemisphere or more wants one row; other lenses
 * get rows from the horizon to the poles, fewer views the steeper they look, with zenith and nadir as rows of one.
 * @throws RangeError for angles that no lens has or an overlap of 0.9 and more
 */
export function planViews(acrossDeg: number, upDeg: number, overlap: number): ViewRow[] {
  if (!(acrossDeg > 5 && acrossDeg <= 360 && upDeg > 5 && upDeg <= 360))
    throw new RangeError(`a field of view of ${acrossDeg} × ${upDeg} degrees is not possible`);
  if (!(overlap >= 0 && overlap < 0.9)) throw new RangeError(`the overlap must be 0 to 0.9, not ${overlap}`);
  if (upDeg >= 180)
    return [{ tiltDeg: 0, views: Math.max(acrossDeg >= 180 ? 2 : 3, Math.ceil(360 / (acrossDeg * (1 - overlap)))) }];
  const around = (tiltDeg: number) => {
    // The row's inner edge (towards the horizon) is its longest circle.
    const widest = Math.cos(Math.max(0, Math.abs(tiltDeg) - upDeg / 2) * DEG);
    return Math.max(3, Math.ceil((360 * widest) / (acrossDeg * (1 - overlap)) - 1e-9));
  };
  const rows: ViewRow[] = [{ tiltDeg: 0, views: around(0) }];
  const step = upDeg * (1 - overlap);
  for (let tilt = step; ; tilt += step) {
    if (tilt + upDeg / 2 >= 90 + upDeg / 2 - step / 2 || tilt > 75) {
      rows.push({ tiltDeg: 90, views: 1 }, { tiltDeg: -90, views: 1 });
      return rows;
    }
    const t = Math.round(tilt);
    rows.push({ tiltDeg: t, views: around(t) }, { tiltDeg: -t, views: around(-t) });
  }
}
