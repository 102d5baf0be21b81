import { sighting } from '@tawny/core';
import { writeCsv } from '@tawny/formats';
import type { EyeLine, Take } from '@tawny/contract';

const COLUMNS = [
  'who',
  'take',
  'eye_east_m',
  'eye_north_m',
  'eye_height_m',
  'target_east_m',
  'target_north_m',
  'target_height_m',
  'bearing_true_deg',
  'tilt_deg',
  'distance_m',
  'stand_in_height_m',
];

/** Where everybody looks: bearing and tilt computed from eye and target. */
export function eyeLinesCsv(lines: readonly EyeLine[], takes: readonly Take[]): string {
  return writeCsv(
    COLUMNS,
    lines.map((l) => {
      const s = sighting(l.eye, l.target);
      const take = takes.find((t) => t.id === l.takeId);
      return [
        l.who,
        take ? `${take.slate}/${take.take}${take.camera}` : '',
        l.eye.eastM,
        l.eye.northM,
        l.eye.heightM,
        l.target.eastM,
        l.target.northM,
        l.target.heightM,
        Number(s.bearingDeg.toFixed(2)),
        Number(s.tiltDeg.toFixed(2)),
        Number(s.distanceM.toFixed(3)),
        l.standInHeightM,
      ];
    }),
  );
}
