import { z } from 'zod';
import { bounded, instant, title, uuid } from './common';
import { rigSchema } from './kit';
import { record, recordInput } from './record';

const stationFields = {
  setupId: uuid,
  name: title('Name', 60),
  eastM: bounded('East', -10000, 10000, ' m'),
  northM: bounded('North', -10000, 10000, ' m'),
  heightM: bounded('Height', -50, 500, ' m'),
};
export const stationSchema = record(stationFields);
export const stationInput = recordInput(stationFields);
export type Station = z.infer<typeof stationSchema>;

const roundFields = {
  stationId: uuid,
  name: title('Name', 60),
  lightCondition: title('Light condition', 40),
  /** Middle of the round. */
  shotAt: instant,
  /** Planned until there are frames whose files tell it; what somebody entered stays. */
  shotAtFrom: z.enum(['planned', 'files', 'entered']).default('planned'),
  /** The rig of the kit that it began with; null when its facts were stated otherwise. */
  rigId: uuid.nullable().default(null),
  rig: rigSchema,
  /** Somebody has accepted that its north is not known: it is lit in the frame of the set. */
  northUnknown: z.boolean().default(false),
  /** Frames sorted into views by hand; null while their metadata decides. */
  manualViews: z.array(z.array(uuid)).max(60, 'At most 60 views').nullable().default(null),
};
/** What a look at a view found while it could still be shot again. */
export const viewCheckSchema = z.object({
  frames: z.array(uuid),
  verdict: z.enum(['good', 'doubtful', 'again']),
  findings: z.array(z.string()),
  clippedSr: z.number(),
  starvedShare: z.number(),
  movedShare: z.number(),
  shakePx: z.number(),
  /** Frames that add nothing: the shortest beyond the first that cuts nothing off, the longest that are white all over; left out where nobody looked for them. */
  idle: z.object({ shortest: z.int(), longest: z.int() }).optional(),
});
export type ViewCheck = z.infer<typeof viewCheckSchema>;

/** Written by the server alone: how well the time is known and from what, and `viewChecks`, null until the views were looked at. */
export const roundSchema = record({
  ...roundFields,
  /** 95 % half width, seconds; null for rounds of which nobody said. */
  shotAtUncertaintyS: z.number().nullable(),
  shotAtSource: z.string(),
  viewChecks: z.array(viewCheckSchema).nullable(),
});
export const roundInput = recordInput(roundFields);
export type LightRound = z.infer<typeof roundSchema>;
