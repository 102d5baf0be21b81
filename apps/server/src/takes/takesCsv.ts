import { arcDeg, sunPosition, type Vec3 } from '@tawny/core';
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
  'notes',
];

/** Every take with the sun at that take and, when a round is given, how far the sun moved from the round's. */
export function takesCsv(
  takes: readonly Take[],
  location: Location,
  bodies: readonly CameraBody[],
  lenses: readonly LensRecord[],
  sunAtRound: Vec3 | null,
): string {
  return writeCsv(
    COLUMNS,
    takes.map((t) => {
      const at = new Date(t.shotAt);
      const sun = sunPosition(location, at);
      return [
        t.slate,
        t.take,
        t.camera,
        t.status,
        at.toISOString(),
        DateTime.fromJSDate(at, { zone: location.zone }).setLocale('en-GB').toFormat('yyyy-MM-dd HH:mm:ss ZZZZ'),
        bodies.find((b) => b.id === t.bodyId)?.name ?? '',
        t.formatName,
        lenses.find((l) => l.id === t.lensId)?.name ?? '',
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
        t.lightCondition,
        t.support,
        t.flopped ? 'yes' : 'no',
        t.roll,
        t.clip,
        t.timecodeIn,
        t.timecodeOut,
        t.timecodeRate,
        t.changes.map((c) => `${c.field}@${c.at}=${c.value}`).join(' '),
        Number(sun.azimuthDeg.toFixed(3)),
        Number(sun.elevationDeg.toFixed(3)),
        sunAtRound ? Number(arcDeg(sun.direction, sunAtRound).toFixed(3)) : null,
        t.notes,
      ];
    }),
  );
}
