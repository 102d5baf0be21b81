import {
  arcDeg,
  cameraOfTake,
  carriedCamera,
  lengthOfTakeS,
  sunOverTake,
  sunPosition,
  viewAnglesDeg,
  type Vec3,
} from '@tawny/core';
import { writeCsv } from '@tawny/formats';
import { DateTime } from 'luxon';
import type { CameraBody, LensRecord, Location, Take } from '@tawny/contract';

const COLUMNS = [
  'slate',
  'take',
  'camera',
  'status',
  'shot_at_utc',
  'shot_at_local',
  'shot_at_from',
  'camera_body',
  'recording_format',
  'lens',
  'focal_length_mm',
  't_stop',
  'ei',
  'shutter_angle_deg',
  'fps',
  'white_balance_k',
  'nd_stops',
  'focus_distance_m',
  'lens_height_m',
  'tilt_deg',
  'heading_deg',
  'heading_north',
  'east_m',
  'north_m',
  'station_ahead_m',
  'station_right_m',
  'station_up_m',
  'light_condition',
  'support',
  'flopped',
  'roll',
  'clip',
  'timecode_in',
  'timecode_out',
  'timecode_rate',
  'changes',
  'sun_azimuth_deg',
  'sun_elevation_deg',
  'sun_drift_from_round_deg',
  'sun_moves_over_take_deg',
  'f_number',
  'squeeze',
  'field_of_view_deg',
  'focus_from_pupil_m',
  'gain_stops',
  'gain_uncertainty_stops',
  'gain_from',
  'camera_from',
  'carried_focal_length_mm',
  'carried_lens_height_m',
  'carried_tilt_deg',
  'carried_roll_deg',
  'carried_heading_true_deg',
  'notes',
];

/** What a round tells of takes: where its sun stood, and its panorama's gain to each take's plate. */
export interface TakesOfRound {
  sun: Vec3;
  gains: ReadonlyMap<string, { stops: number; uncertaintyStops: number | null; from: string }>;
}

const short = (v: number | null | undefined) => (v === null || v === undefined ? null : Number(v.toFixed(3)));

/**
 * Every take (or a further part of them, without the header) with the sun at that take and its camera; of a round also how far the sun moved from
 * the round's, and the gain to that take's plate.
 */
export function takesCsv(
  takes: readonly Take[],
  location: Location,
  bodies: readonly CameraBody[],
  lenses: readonly LensRecord[],
  round: TakesOfRound | null,
  header = true,
): string {
  return writeCsv(
    COLUMNS,
    takes.map((t) => {
      const at = new Date(t.shotAt);
      const sun = sunPosition(location, at);
      const body = bodies.find((b) => b.id === t.bodyId);
      const lens = lenses.find((l) => l.id === t.lensId);
      const camera = cameraOfTake(t, body, lens, location);
      const carried = carriedCamera(t, location);
      const gain = round?.gains.get(t.id);
      const lengthS = lengthOfTakeS(t);
      return [
        t.slate,
        t.take,
        t.camera,
        t.status,
        at.toISOString(),
        DateTime.fromJSDate(at, { zone: location.zone }).setLocale('en-GB').toFormat('yyyy-MM-dd HH:mm:ss ZZZZ'),
        t.fromFile.shotAt ? `file ${t.fromFile.shotAt}` : t.shotAtFrom,
        body?.name ?? '',
        t.formatName,
        lens?.name ?? '',
        t.focalLengthMm,
        t.tStop,
        t.ei,
        t.shutterAngleDeg,
        t.fps,
        t.whiteBalanceK,
        t.ndStops,
        t.focusM,
        t.heightM,
        t.tiltDeg,
        t.headingDeg,
        t.headingNorth,
        t.eastM,
        t.northM,
        t.stationOffset?.aheadM ?? null,
        t.stationOffset?.rightM ?? null,
        t.stationOffset?.upM ?? null,
        t.lightCondition,
        t.support,
        t.flopped ? 'yes' : 'no',
        t.roll,
        t.clip,
        t.timecodeIn,
        t.timecodeOut,
        t.timecodeRate,
        t.changes.map((c) => `${c.field}@${c.at}=${c.value}`).join(' '),
        short(sun.azimuthDeg),
        short(sun.elevationDeg),
        round ? short(arcDeg(sun.direction, round.sun)) : null,
        short(lengthS === null ? null : sunOverTake(location, at, lengthS).movesDeg),
        short(camera?.fNumber),
        short(camera?.squeeze),
        short(camera && viewAnglesDeg(camera).across),
        short(camera?.focusFromPupilM),
        short(gain?.stops),
        short(gain?.uncertaintyStops),
        gain?.from ?? '',
        t.pictureCamera ? 'measured' : 'logged',
        short(carried.focalLengthMm),
        short(carried.heightM),
        short(carried.tiltDeg),
        // Nobody logs a roll.
        short(t.pictureCamera?.rollDeg),
        short(carried.headingDeg),
        t.notes,
      ];
    }),
    header,
  );
}
