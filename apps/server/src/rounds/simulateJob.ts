import { Readable } from 'node:stream';
import type { LightRound, Station } from '@tawny/contract';
import { simulateRound, throwIfCancelled } from '@tawny/pipeline';
import { Rounds, Stations } from '../db/entities';
import { inThisProcess } from '../decode/tasks';
import type { JobHandler } from '../jobs/runner';
import { setPlace } from '../records/place';
import { simulatedSet } from '../standins/simulatedSet';
import { readFrame, recordFrame, type ReadFrame } from './addFrame';
import { lookAtViews } from './checkViewsJob';
import { settleTime } from './roundTime';

/** What the stand-in's clock shows beyond true time: nobody set it today. */
const STAND_IN_CLOCK_S = 3.4;

/** The simulated panorama camera: its files enter the round as any others do. */
export const simulateRoundJob: JobHandler<'simulateRound'> = async ({ db, files, job, control }) => {
  const { input, productionId } = job;
  const round = await db.getRepository(Rounds).findOneByOrFail({ productionId, id: job.subjectId });
  const station: Station = await db.getRepository(Stations).findOneByOrFail({ productionId, id: round.stationId });
  const place = await setPlace(db, productionId, station.setupId);
  const { spec, utcOffsetMinutes } = simulatedSet(place, new Date(round.shotAt), round.lightCondition);
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
      sunMoves: true,
      clockOffsetS: STAND_IN_CLOCK_S,
    },
    control,
  );
  const rig: LightRound['rig'] = shot.rig;
  const current = { ...round, rig };
  const frames: ReadFrame[] = [];
  for (const file of shot.files) {
    throwIfCancelled(control);
    frames.push(
      await readFrame(
        inThisProcess,
        current,
        await files.receive(Readable.from(Buffer.from(file.bytes))),
        file.name,
        place.location.zone,
      ),
    );
  }
  if (shot.truth.sun.clippedStops > 0)
    control.onLog?.(`the sun is ${shot.truth.sun.clippedStops.toFixed(1)} stops beyond the shortest frame`);
  control.onLog?.(`${shot.files.length} frames photographed`);
  const viewChecks = await lookAtViews(files, current, frames, control);
  return async (tx) => {
    await tx.getRepository(Rounds).update({ id: round.id }, { rig, version: () => 'version + 1' } as never);
    for (const frame of frames) await recordFrame(tx, frame);
    await tx.getRepository(Rounds).update({ id: round.id }, { viewChecks } as never);
    await settleTime(tx, productionId, round.id);
    return round.id;
  };
};
