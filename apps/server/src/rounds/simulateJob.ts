import { Readable } from 'node:stream';
import { DateTime } from 'luxon';
import type { DataSource } from 'typeorm';
import { simulateRoundInput, type LightRound, type Location, type Setup, type Station } from '@tawny/contract';
import { simulateRound, throwIfCancelled, type SetSpec } from '@tawny/pipeline';
import { Days, Locations, Rounds, Setups, Stations, type Owned } from '../db/entities';
import type { JobHandler } from '../jobs/runner';
import { addFrame } from './addFrame';
import { recordViewChecks } from './checkViewsJob';

/** Haze of the demo's air. */
const TURBIDITY = 4;
/** The demo set is the same one for every production and day. */
const SET_SEED = 7;

export interface SetPlace {
  setup: Owned<Setup>;
  location: Owned<Location>;
}

/** Setup and location that a setup's id stands for. */
export async function setPlace(db: DataSource, productionId: string, setupId: string): Promise<SetPlace> {
  const setup = await db.getRepository(Setups).findOneByOrFail({ productionId, id: setupId });
  const day = await db.getRepository(Days).findOneByOrFail({ productionId, id: setup.dayId });
  const location = await db.getRepository(Locations).findOneByOrFail({ productionId, id: day.locationId });
  return { setup, location };
}

/**
 * The simulated set under the sun of a place and time and in a light condition: words of the condition decide (cloud, overcast; lamps on).
 * Interiors are the net loft, everything else the quay.
 */
export function simulatedSet(
  { setup, location }: SetPlace,
  at: Date,
  condition = setup.lightCondition,
): { spec: SetSpec; utcOffsetMinutes: number } {
  const { latitudeDeg, longitudeDeg, altitudeM } = location;
  const interior = setup.kind === 'interior';
  return {
    spec: {
      scene: interior ? 'netLoft' : 'quay',
      seed: SET_SEED,
      place: { latitudeDeg, longitudeDeg, altitudeM },
      utc: at.toISOString(),
      turbidity: TURBIDITY,
      ...(interior ? { lampsOn: /\blamps? on\b/i.test(condition) } : {}),
      ...(/cloud|overcast/i.test(condition) ? { overcast: true } : {}),
    },
    utcOffsetMinutes: DateTime.fromJSDate(at, { zone: location.zone }).offset,
  };
}

/** The simulated panorama camera: its files enter the round as any others do. */
export const simulateRoundJob: JobHandler = async ({ db, files, job, control }) => {
  const input = simulateRoundInput.parse(job.input);
  const round = await db.getRepository(Rounds).findOneByOrFail({ productionId: job.productionId, id: job.subjectId });
  const station: Station = await db
    .getRepository(Stations)
    .findOneByOrFail({ productionId: job.productionId, id: round.stationId });
  const { spec, utcOffsetMinutes } = simulatedSet(
    await setPlace(db, job.productionId, station.setupId),
    new Date(round.shotAt),
    round.lightCondition,
  );
  const shot = await simulateRound(
    {
      spec,
      station: { eastM: station.eastM, upM: station.heightM, northM: station.northM },
      views: input.views,
      frames: input.frames,
      stepEv: input.stepEv,
      width: input.widthPx,
      kind: 'jpeg',
      utcOffsetMinutes,
    },
    control,
  );
  throwIfCancelled(control);
  const stated: LightRound['rig'] = shot.rig;
  await db.getRepository(Rounds).update({ id: round.id }, { rig: stated, version: round.version + 1 } as never);
  const current = { ...round, rig: stated };
  for (const file of shot.files) {
    throwIfCancelled(control);
    await addFrame(db, current, await files.receive(Readable.from(Buffer.from(file.bytes))), file.name);
  }
  if (shot.truth.sun.clippedStops > 0)
    control.onLog?.(`the sun is ${shot.truth.sun.clippedStops.toFixed(1)} stops beyond the shortest frame`);
  control.onLog?.(`${shot.files.length} frames photographed`);
  await recordViewChecks(db, files, job.productionId, round.id, control);
  return round.id;
};
