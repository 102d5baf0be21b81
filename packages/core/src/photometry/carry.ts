import { photometricExposure, stopsBetween } from './exposure';

/** Settings of a plate that its exposure follows from. */
export interface PlateSettings {
  /** Names of body and lens, or their ids: equal or not is all that counts. */
  body: string;
  lens: string;
  tStop: number;
  shutterS: number;
  ei: number;
  ndStops: number;
}

type Setting = 'T-stop' | 'shutter' | 'EI' | 'ND' | 'lens' | 'body';

/**
 * 95 % half widths, in stops, of what a change of one setting promises: stops and filters by their engravings, shutters by quartz, EI by the
 * maker's steps; another lens transmits otherwise than its T-stop says, and another body is known by its metadata alone.
 */
export const CHANGE_STOPS: Record<Setting, number> = {
  'T-stop': 0.1,
  shutter: 0.02,
  EI: 0.05,
  ND: 0.1,
  lens: 0.15,
  body: 0.42,
};

export interface CarriedGain {
  gainStops: number;
  /** 95 % half width; null when that of the gain it comes from is not known. */
  uncertaintyStops: number | null;
  /** Settings that differ, and so widen it; none: it is the same exposure. */
  changed: Setting[];
}

/** A value in stops with its 95 % half width; null when that is not known. */
export interface Stops {
  stops: number;
  uncertaintyStops: number | null;
}

/** Rounds of one rig among each other: its stop and shutter come back, its filters and the air do not quite; 95 % half width in stops. */
export const OTHER_ROUND_STOPS = 0.15;

const exposureOf = ({ shutterS, ei, tStop, ndStops }: PlateSettings) =>
  photometricExposure({ shutterS, iso: ei, tStop, ndStops });

const widened = (of: readonly (number | null)[]): number | null =>
  of.some((u) => u === null) ? null : Math.hypot(...(of as number[]));

/**
 * By how much a body answers light more strongly than another at the same settings, from the gains of both on one panorama.
 * What differs between the two exposures brings its own error along. @throws RangeError on settings that no camera has
 */
export function bodyRatio(
  from: { gainStops: number; uncertaintyStops: number | null; settings: PlateSettings },
  to: { gainStops: number; uncertaintyStops: number | null; settings: PlateSettings },
): Stops {
  const carried = carryGain(from, from.settings, { ...to.settings, body: from.settings.body });
  return {
    stops: to.gainStops - carried.gainStops,
    uncertaintyStops: widened([carried.uncertaintyStops, to.uncertaintyStops]),
  };
}

/**
 * A gain that was measured in one plate, carried to another plate of the same light by the exposures of both: what is the same in
 * both cancels, what differs brings its own error along. A ratio of the bodies that was measured takes the place of what metadata promise of them.
 * CONVENTIONS.md section 3.
 * @throws RangeError on settings that no camera has
 */
export function carryGain(
  measured: { gainStops: number; uncertaintyStops: number | null },
  from: PlateSettings,
  to: PlateSettings,
  ratio: Stops | null = null,
): CarriedGain {
  const differs = (a: number, b: number) => Math.abs(a / b - 1) > 1e-6;
  const changed = (
    [
      ['T-stop', differs(from.tStop, to.tStop)],
      ['shutter', differs(from.shutterS, to.shutterS)],
      ['EI', differs(from.ei, to.ei)],
      ['ND', Math.abs(from.ndStops - to.ndStops) > 1e-6],
      ['lens', from.lens !== to.lens],
      ['body', from.body !== to.body],
    ] as [Setting, boolean][]
  ).flatMap(([setting, is]) => (is ? [setting] : []));
  const bodies = from.body !== to.body;
  return {
    gainStops:
      measured.gainStops + stopsBetween(exposureOf(to), exposureOf(from)) + (bodies && ratio ? ratio.stops : 0),
    uncertaintyStops: widened([
      measured.uncertaintyStops,
      ...changed.map((s) => (s === 'body' && ratio ? ratio.uncertaintyStops : CHANGE_STOPS[s])),
    ]),
    changed,
  };
}
