import type { Distortion } from '../../camera/distortion';
import type { StationOffset } from '../../camera/stationFromCamera';
import type { Place } from '../../sun/ephemeris';
import type { Quaternion } from '../quaternion';

/** Metres in the world (or the set frame): east, up, north. */
export interface Stand {
  eastM: number;
  upM: number;
  northM: number;
}

/** A direction in the panorama's own axes, degrees. */
export interface InPanorama {
  panoramaAzimuthDeg: number;
  panoramaElevationDeg: number;
}

/** The sun as it was found in the panorama, and when and where that was. */
export interface SunSource {
  azimuthDeg: number;
  elevationDeg: number;
  uncertaintyDeg: number;
  place: Place;
  utc: Date;
  /** Null: nobody knows how right the clock was. */
  clockS: number | null;
}

export interface CompassSource {
  name: string;
  /** What it was read along, azimuth in the panorama. */
  panoramaAzimuthDeg: number;
  readingDeg: number;
  biasDeg: number;
  declinationDeg: number;
  /** One sigma of the declination where it is the model's; 0 where it was measured. */
  declinationSigmaDeg: number;
  /** What the world magnetic model says there, to test whether it was forgotten or counted twice; null without place and time. */
  modelDeg: number | null;
  uncertaintyDeg: number;
}

/** A surveyed thing seen in the panorama: its true direction from the station. */
export interface MarkSource extends InPanorama {
  name: string;
  azimuthDeg: number;
  elevationDeg: number;
  uncertaintyDeg: number;
}

/** The same thing in plate and panorama. */
export interface PickSource extends InPanorama {
  name: string;
  xPx: number;
  yPx: number;
  /** From the plate's entrance pupil; null when nobody knows. */
  distanceM: number | null;
  /** Share of the distance, 95 %. */
  distanceShare: number;
  /** One sigma in pixels of either picture. */
  sigmaPx: number;
}

/** The camera of the plate that picks were made in. Uncertainties are 95 % half widths, null when not known. */
export interface PlateSource {
  focalXPx: number;
  focalYPx: number;
  centreXPx: number;
  centreYPx: number;
  distortion: Distortion | null;
  /** Null: the plate's heading has no source of its own. */
  headingDeg: number | null;
  tiltDeg: number;
  rollDeg: number;
  /** Of the entrance pupil; null when nobody measured it. */
  position: Stand | null;
  /** Where the station lies from the pupil, in the plate's own heading: it stands before the two places. */
  stationOffset?: StationOffset | null;
  uncertainty: {
    focalShare: number;
    headingDeg: number;
    tiltDeg: number;
    rollDeg: number;
    /** Radius of the region that holds the pupil. */
    positionM: number | null;
  };
}

/** An upright edge in the panorama: azimuth and elevation of its ends, degrees, and how well they were pointed at (95 %), where the screen said so. */
export type VerticalSource = readonly [number, number, number, number, number?];
/** A point on the sea's horizon in the panorama: azimuth and elevation, degrees, and how well it was pointed at (95 %). */
export type HorizonSource = readonly [number, number, number?];

/** Everything that may speak of how a panorama lies. All uncertainties are 95 % half widths. */
export interface OrientationSources {
  panoramaWidthPx: number;
  sun: SunSource | null;
  /** How level it is said to be; null when nobody looked. */
  level: { uncertaintyDeg: number } | null;
  hand: { quaternion: Quaternion; uncertaintyDeg: number } | null;
  compass: readonly CompassSource[];
  marks: readonly MarkSource[];
  picks: readonly PickSource[];
  plate: PlateSource | null;
  /** Where the panorama was shot; null when nobody measured it. */
  station: Stand | null;
  verticals: readonly VerticalSource[];
  /** Points on the open horizon of the sea; `heightM` is the eye's over the water. */
  horizon?: { points: readonly HorizonSource[]; heightM: number } | null;
}

/** Nothing said yet of a panorama of some width. */
export const noSources = (panoramaWidthPx: number): OrientationSources => ({
  panoramaWidthPx,
  sun: null,
  level: null,
  hand: null,
  compass: [],
  marks: [],
  picks: [],
  plate: null,
  station: null,
  verticals: [],
});

/** What kind of source spoke. */
export type SourceKind = 'sun' | 'level' | 'hand' | 'compass' | 'mark' | 'pick' | 'vertical' | 'horizon';

/** Why a source differs, as hypotheses tested against each other say. */
export type OrientationCause =
  'clockHour' | 'clock' | 'magnetic' | 'mirrored' | 'upsideDown' | 'pick' | 'compass' | 'cannotTell';
