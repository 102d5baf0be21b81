import { randomInt } from 'node:crypto';
import { In, type EntityManager } from 'typeorm';
import { roundInput, type LightRound, type Station } from '@tawny/contract';
import { Frames, Jobs, Rounds, Stations } from '../db/entities';
import type { Handlers } from '../http/handler';
import { enqueue } from '../jobs/enqueue';
import { ApiProblem } from '../problems';
import { bare } from '../records/bare';
import { findOwned } from '../records/find';
import { listPage } from '../records/listPage';
import { setPlace } from '../records/place';
import { writtenHandlers } from '../records/recordHandlers';
import type { Services } from '../services';
import { simulatedSet } from '../standins/simulatedSet';
import { readFrame, recordFrame } from './addFrame';
import { groupFrames } from './grouping';
import { settleTime } from './roundTime';

const PHONE_PX = { width: 720, height: 960 };
const FRAME_ORDER = { by: ['takenAt', 'name'], direction: 'ASC' } as const;

/** What one can do with a round beside reading and changing it. */
export function roundOperations({ db, decoder, uploads }: Services): Handlers<'rounds'> {
  const find = (productionId: string, id: string) => findOwned(db, Rounds, productionId, id, 'round');
  const framesOf = (productionId: string, roundId: string) =>
    db.getRepository(Frames).find({ where: { productionId, roundId }, order: { takenAt: 'ASC', name: 'ASC' } });

  /** One look at the views waits at a time: it sees whatever frames have come by then. */
  const askForLook = (productionId: string, roundId: string) =>
    db.transaction(async (tx) => {
      await tx.query('SELECT 1 FROM rounds WHERE id = $1 FOR UPDATE', [roundId]);
      const waiting = { productionId, subjectId: roundId, kind: 'checkViews', state: 'queued' } as const;
      if (await tx.getRepository(Jobs).existsBy(waiting)) return;
      await enqueue(tx, { productionId, kind: 'checkViews', subjectId: roundId, input: {}, background: true });
    });

  const written = writtenHandlers<'rounds', LightRound>({
    entity: Rounds,
    noun: 'round',
    input: roundInput,
    order: { by: ['shotAt'], direction: 'DESC' },
  });
  /** A round as it stands once its time has been settled. */
  const settled = async (tx: EntityManager, productionId: string, id: string) => {
    await settleTime(tx, productionId, id);
    return bare(await findOwned(tx, Rounds, productionId, id, 'round'));
  };

  return {
    ...written,
    create: async (context) => {
      const { id } = (await written.create(context)) as LightRound;
      return settled(context.tx, context.production.id, id);
    },
    change: async (context) => {
      const { id } = (await written.change(context)) as LightRound;
      return settled(context.tx, context.production.id, id);
    },
    frames: async ({ tx, production, params, query }) => {
      const { id } = await find(production.id, params.id);
      const { items, next } = await listPage(tx, Frames, FRAME_ORDER, production.id, { roundId: id }, query);
      return { items: items.map(bare), next };
    },
    grouping: async ({ production, params }) => {
      const found = await find(production.id, params.id);
      return groupFrames(await framesOf(production.id, found.id), found.rig, found.manualViews);
    },
    /** Which of some files are here already, told by their hashes: those need not be sent. */
    knownFrames: async ({ production, params, body }) => {
      const found = await find(production.id, params.id);
      const there = await db.getRepository(Frames).find({
        where: { productionId: production.id, roundId: found.id, hash: In(body.hashes) },
        select: { hash: true },
      });
      return { known: there.map((f) => f.hash) };
    },
    addFrames: async ({ production, params, request }) => {
      const found = await find(production.id, params.id);
      const station = await findOwned(db, Stations, production.id, found.stationId, 'station');
      const { location } = await setPlace(db, production.id, station.setupId);
      const { items, problems } = await uploads.each(request, async ({ name, received }) =>
        recordFrame(db, await readFrame(decoder, found, received, name, location.zone)),
      );
      await db.transaction((tx) => settleTime(tx, production.id, found.id));
      await askForLook(production.id, found.id);
      return {
        accepted: items.flatMap((a) => ('frame' in a ? [a.frame] : [])),
        duplicates: items.flatMap((a) => ('duplicate' in a ? [a.duplicate] : [])),
        problems,
      };
    },
    importPanorama: async ({ production, params, query, request, background }) => {
      const found = await find(production.id, params.id);
      return uploads.all(request, async ([{ name, received }, ...others]) => {
        if (others.length > 0) throw new ApiProblem(422, 'one-file', 'One panorama at a time: send one file');
        await received.keep();
        const input = { hash: received.hash, name, ...query };
        return db.transaction((tx) =>
          enqueue(tx, { productionId: production.id, kind: 'importPanorama', subjectId: found.id, input, background }),
        );
      });
    },
    simulate: async ({ tx, production, params, body, background }) => {
      const { id } = await find(production.id, params.id);
      return enqueue(tx, {
        productionId: production.id,
        kind: 'simulateRound',
        subjectId: id,
        input: body,
        background,
      });
    },
    build: async ({ tx, production, params, body, background }) => {
      const { id } = await find(production.id, params.id);
      if (!(await tx.getRepository(Frames).existsBy({ productionId: production.id, roundId: id })))
        throw new ApiProblem(422, 'no-frames', 'This round has no frames yet: photograph or upload them first');
      return enqueue(tx, { productionId: production.id, kind: 'build', subjectId: id, input: body, background });
    },
    testFrame: async ({ production, params, request }) => {
      const round = await find(production.id, params.id);
      return uploads.all(request, ([{ name, received }]) => decoder.run('testFrame', received.path, name, round.rig));
    },
    phoneFrame: async ({ production, params, body }) => {
      const round = await find(production.id, params.id);
      const productionId = production.id;
      const station: Station = await findOwned(db, Stations, productionId, round.stationId, 'station');
      const place = await setPlace(db, productionId, station.setupId);
      const { spec } = simulatedSet(place, new Date(round.shotAt), round.lightCondition);
      const { headingDeg, tiltDeg, rollDeg, fovDeg, shutterS } = body;
      const shot = await decoder.run('simulatePhone', {
        spec,
        position: { eastM: station.eastM, upM: station.heightM, northM: station.northM },
        attitude: { headingDeg, tiltDeg, rollDeg },
        fovDeg,
        shutterS,
        seed: randomInt(1 << 30),
        ...PHONE_PX,
      });
      return { jpegBase64: Buffer.from(shot.jpeg).toString('base64'), shutterS: shot.shutterS, iso: shot.iso };
    },
  };
}
