import { randomInt } from 'node:crypto';
import { Router } from 'express';
import { simulatedPhoneInput, type Station } from '@tawny/contract';
import { simulatePhone, testFrame } from '@tawny/pipeline';
import { Stations } from '../db/entities';
import { receiveUpload } from '../files/receiveUpload';
import { ApiProblem, notFound } from '../problems';
import type { Services } from '../services';
import { findRound } from './addFrame';
import { setPlace, simulatedSet } from './simulateJob';

const PHONE_PX = { width: 720, height: 960 };

/** What one does at a station before the round: a test frame that tells the light, and the stand-in for a phone's camera. */
export function stationViewRoutes({ db, files }: Services): Router {
  const router = Router({ mergeParams: true });

  router.post('/:id/test-frame', async (req, res) => {
    const round = await findRound(db, req.production.id, String(req.params.id));
    if (!round) throw notFound('round');
    let seen: Awaited<ReturnType<typeof testFrame>> | null = null;
    await receiveUpload(req, files, async ({ name, received }) => {
      try {
        seen = await testFrame(received.path, name, round.rig);
      } finally {
        await received.discard();
      }
    });
    if (seen === null) throw new ApiProblem(422, 'no-files', 'The upload held no test frame');
    res.json(seen);
  });

  router.post('/:id/phone-frame', async (req, res) => {
    const input = simulatedPhoneInput.parse(req.body);
    const round = await findRound(db, req.production.id, String(req.params.id));
    if (!round) throw notFound('round');
    const station: Station = await db
      .getRepository(Stations)
      .findOneByOrFail({ productionId: req.production.id, id: round.stationId });
    const { spec } = simulatedSet(
      await setPlace(db, req.production.id, station.setupId),
      new Date(round.shotAt),
      round.lightCondition,
    );
    const { headingDeg, tiltDeg, rollDeg } = input;
    const shot = await simulatePhone({
      spec,
      position: { eastM: station.eastM, upM: station.heightM, northM: station.northM },
      attitude: { headingDeg, tiltDeg, rollDeg },
      fovDeg: input.fovDeg,
      shutterS: input.shutterS,
      seed: randomInt(1 << 30),
      ...PHONE_PX,
    });
    res.json({ jpegBase64: shot.jpeg.toString('base64'), shutterS: shot.shutterS, iso: shot.iso });
  });
  return router;
}
