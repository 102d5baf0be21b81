import { Productions, Locations, Days, Setups, CameraClocks } from './tables/day';
import { Bodies, Lenses, Rigs, Curves, Filters, Instruments, ReferenceObjects } from './tables/kit';
import { Takes, Readings, References, Lamps, EyeLines, PlanMarks, PlanMeasures } from './tables/records';
import { Stations, Rounds, Frames, Panoramas, Calibrations } from './tables/light';
import { Plates, PlateCameras, Clips, ClipFrames } from './tables/plates';
import { Handoffs, Jobs } from './tables/work';

export { columnName, type Owned } from './table';
export * from './tables/day';
export * from './tables/kit';
export * from './tables/records';
export * from './tables/light';
export * from './tables/plates';
export * from './tables/work';
export type { StoredDecoding } from './tables/decoding';

/** Every table, as the database opens them. */
export const ENTITIES = [
  Productions,
  Locations,
  Days,
  Setups,
  CameraClocks,
  Bodies,
  Lenses,
  Rigs,
  Curves,
  Filters,
  Instruments,
  ReferenceObjects,
  Takes,
  Readings,
  References,
  Lamps,
  EyeLines,
  PlanMarks,
  PlanMeasures,
  Stations,
  Rounds,
  Frames,
  Panoramas,
  Calibrations,
  Plates,
  PlateCameras,
  Clips,
  ClipFrames,
  Handoffs,
  Jobs,
];
