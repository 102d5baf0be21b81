/** A plate's camera at one take. */
export interface NetworkTake {
  id: string;
  body: string;
  /** What lens was on it; left out, all of a body are one. */
  lens?: string;
  /** Of the lens; the T-stop where it is known, else the f-number. */
  tStop: number | null;
  fStop: number | null;
  shutterS: number;
  ei: number;
  ndStops: number;
  /** Milliseconds, any epoch, the same for all. */
  timeMs: number;
}

/** A card or patch of known reflectance as it was measured in a plate, or in the panorama. */
export interface NetworkCard {
  name: string;
  /** Id of the take; null: in the panorama. */
  take: string | null;
  /** Under whose light: id of another round; left out, that of the panorama itself. */
  round?: string;
  /** Luminance of its patch, in the unit of that picture, > 0. */
  value: number;
  /** 95 % half width. */
  uncertaintyStops: number;
  /** (0, 1]. */
  reflectance: number;
  /** Whose reflectance that is and how well it is known, 95 %; left out: exactly. */
  reflectanceOf?: { name: string; uncertaintyStops: number };
  /** Where the card faces, degrees; null: not known, then the cards that say nothing face alike. */
  normal: { azimuthDeg: number; elevationDeg: number } | null;
  timeMs: number;
  /** How well that is known, seconds (95 %); left out: exactly. */
  timeWithinS?: number;
}

/** A reading of an instrument: illuminance on a plane (lux), or luminance of a region (cd/m2). */
export interface NetworkMeter {
  name: string;
  kind: 'lux' | 'cdm2';
  value: number;
  /** 95 % half width, spectral mismatch included. */
  uncertaintyStops: number;
  normal: { azimuthDeg: number; elevationDeg: number } | null;
  /** What the panorama says of the same: illuminance (unit x sr) or mean luminance (unit); null when it was not asked. */
  seenByPanorama: { value: number; uncertaintyStops: number } | null;
  /** Under whose light: id of another round; left out, that of the panorama itself. */
  round?: string;
  timeMs: number;
  /** How well that is known, seconds (95 %); left out: exactly. */
  timeWithinS?: number;
}

/** Another panorama on which cards were measured: its light is its own, what its cards say of the bodies holds here too. */
export interface NetworkRound {
  id: string;
  /** Photographed with the rig of the panorama, whose exposure comes back: then it says what one of its units is worth. */
  sameRig: boolean;
  timeMs: number;
  /** How well that is known, seconds (95 %); left out: exactly. */
  timeWithinS?: number;
  /** One sigma of how its light drifts; left out, as that of the panorama. */
  driftStopsPerHour?: number;
}

/** The cause of an outlier. footCandles: a number of foot-candles typed for lux. */
export type ExposureCause = 'nd' | 'cardTilt' | 'cloud' | 'decoding' | 'exposureIndex' | 'footCandles' | 'cannotTell';

export interface NetworkInput {
  panorama: {
    /** Panorama units per cd/m2, from rounds of the same rig before; null when nothing is known of it. */
    rigResponsivity: { value: number; uncertaintyStops: number; name?: string } | null;
    /** When it was photographed; null: when its cards were. */
    timeMs: number | null;
    /** How well that is known, seconds (95 %); left out: exactly. */
    timeWithinS?: number;
  };
  /** Left out: none. */
  otherRounds?: readonly NetworkRound[];
  takes: readonly NetworkTake[];
  cards: readonly NetworkCard[];
  meters: readonly NetworkMeter[];
  /** One sigma of how the set's light drifts; null when not known. What the sun's height makes of it: `daylightStopsPerHour`. */
  driftStopsPerHour: number | null;
}

/** 95 % half widths, stops, of what the engravings and tags of one exposure promise. */
export const SETTING_STOPS = {
  /** One marking of one lens; a change from one to another makes 0.1. */
  stop: 0.07,
  shutter: 0.014,
  ei: 0.035,
  /** One filter. */
  nd: 0.1,
  /** How well one take's exposure comes back to another's at the same settings: iris, shutter. */
  repeat: 0.03,
  /** An f-number's T-stop. CONVENTIONS.md section 3. */
  transmission: 0.2,
  /** Another lens of a body: its T-stop is its own; a change makes 0.15. */
  lens: 0.106,
  /** One round against another of the same rig: stop and shutter come back, filters and the air do not quite; two differ by 0.15. */
  round: 0.106,
  /** One body against others of its nominal sensitivity. */
  body: 0.3,
} as const;

/** One sigma: how far what a plate's 1 means lies from saturation, the same for all bodies of a production. */
export const WHITE_SIGMA_STOPS = 0.4;
/** One sigma where nobody said how the light drifts: a clear day's middle hours, an overcast one. */
export const UNKNOWN_DRIFT_STOPS_PER_HOUR = 0.1;
/** How long the light's drift keeps its pace, hours. */
export const DRIFT_HOURS = 2;
/** One sigma between the light on planes that face differently, and on one that is not known against the only one that is. */
export const PLANES_STOPS = 1;
export const UNKNOWN_PLANE_STOPS = 0.15;
/** Planes whose normals are closer are one, degrees. */
export const SAME_PLANE_DEG = 3;
