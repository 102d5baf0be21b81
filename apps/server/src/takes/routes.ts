import { Router } from 'express';
import type { DataSource } from 'typeorm';
import { z } from 'zod';
import { takeImportInput, type ImportResult, type Setup, type Take, type TakeInput } from '@tawny/contract';
import { Bodies, CameraClocks, Days, Lenses, Locations, Setups, Takes, type Owned } from '../db/entities';
import { takesCsv } from '../handoffs/takesCsv';
import { bare } from '../http/records';
import { ApiProblem, notFound } from '../problems';
import { setPlace } from '../rounds/simulateJob';
import type { Services } from '../services';
import { receiveUpload } from '../files/receiveUpload';
import { cameraReport } from './cameraReport';
import { cellsFromFile } from './cellsFromFile';
import { readTakes, takeKey } from './importTakes';

const inputOf = (take: Owned<Take>): TakeInput => {
  const { version: _v, createdAt: _c, updatedAt: _u, ...rest } = bare(take);
  return { ...rest, shotAt: new Date(rest.shotAt).toISOString() } as TakeInput;
};

async function dayOf(db: DataSource, productionId: string, id: string) {
  const day = await db.getRepository(Days).findOneBy({ productionId, id });
  if (!day) throw notFound('shoot day');
  const location = await db.getRepository(Locations).findOneByOrFail({ productionId, id: day.locationId });
  const setups = await db.getRepository(Setups).find({ where: { productionId, dayId: id }, order: { slate: 'ASC' } });
  const takes =
    setups.length === 0
      ? []
      : await db
          .getRepository(Takes)
          .createQueryBuilder('t')
          .where('t.production_id = :productionId AND t.setup_id IN (:...ids)', {
            productionId,
            ids: setups.map((s) => s.id),
          })
          .orderBy('t.shot_at', 'ASC')
          .addOrderBy('t.camera', 'ASC')
          .getMany();
  const [bodies, lenses] = await Promise.all([
    db.getRepository(Bodies).findBy({ productionId }),
    db.getRepository(Lenses).findBy({ productionId }),
  ]);
  return { day, location, setups, takes, bodies, lenses };
}

/** Takes of a whole day, out. */
export function dayExportRoutes(db: DataSource): Router {
  const router = Router({ mergeParams: true });
  router.get('/:id/takes.csv', async (req, res) => {
    const { day, location, takes, bodies, lenses } = await dayOf(db, req.production.id, req.params.id);
    res
      .attachment(`${req.production.code.toLowerCase()}_day-${day.number}_takes.csv`)
      .type('text/csv')
      .send(takesCsv(takes, location, bodies, lenses, null));
  });
  router.get('/:id/takes.json', async (req, res) => {
    const { day, takes } = await dayOf(db, req.production.id, req.params.id);
    res
      .attachment(`${req.production.code.toLowerCase()}_day-${day.number}_takes.json`)
      .json({ production: req.production.code, day: day.date, takes: takes.map(inputOf) });
  });
  router.get('/:id/report.pdf', async (req, res) => {
    const facts = await dayOf(db, req.production.id, req.params.id);
    const clocks = await db
      .getRepository(CameraClocks)
      .findBy({ productionId: req.production.id, dayId: facts.day.id });
    const bytes = await cameraReport({ ...facts, clocks, production: req.production });
    res
      .attachment(`${req.production.code.toLowerCase()}_day-${facts.day.number}_camera-report.pdf`)
      .type('application/pdf')
      .send(bytes);
  });
  return router;
}

/** Takes in: from a table, from the metadata of a file. */
export function takeImportRoutes({ db, files }: Services): Router {
  const router = Router({ mergeParams: true });
  router.post('/import', async (req, res) => {
    const input = takeImportInput.parse(req.body);
    const productionId = req.production.id;
    if (!(await db.getRepository(Setups).existsBy({ productionId, id: input.setupId }))) throw notFound('setup');
    const { setup, location } = await setPlace(db, productionId, input.setupId);
    const day = await db.getRepository(Days).findOneByOrFail({ productionId, id: setup.dayId });
    const [bodies, lenses] = await Promise.all([
      db.getRepository(Bodies).findBy({ productionId }),
      db.getRepository(Lenses).findBy({ productionId }),
    ]);
    if (bodies.length === 0 || lenses.length === 0)
      throw new ApiProblem(
        422,
        'no-kit',
        'The kit holds no camera body or no lens: add them before takes are imported',
      );
    const there = await db
      .getRepository(Takes)
      .find({ where: { productionId, setupId: setup.id }, order: { shotAt: 'DESC' } });
    const { result, takes } = readTakes(
      Buffer.from(input.contentBase64, 'base64'),
      input.fileName,
      {
        // As it crosses the wire: the database hands out instants as objects.
        setup: JSON.parse(JSON.stringify(bare(setup))) as Setup,
        location,
        date: day.date,
        bodies,
        lenses,
        existing: new Set(there.map(takeKey)),
        model: there[0] ? inputOf(there[0]) : null,
      },
      input.mapping,
    );
    const wrong = result.rows.filter((r) => r.faults.length > 0);
    const answer: ImportResult = { ...result, imported: 0, dryRun: input.dryRun };
    if (input.dryRun) {
      res.json(answer);
      return;
    }
    if (wrong.length > 0 && !input.acceptRest) {
      throw new ApiProblem(
        422,
        'rows-with-faults',
        `${wrong.length} of ${result.rows.length} rows cannot be read, so nothing was imported. Mend them, or accept the rest.`,
        {
          errors: wrong
            .slice(0, 200)
            .flatMap((r) => r.faults.map((f) => ({ field: `row ${r.row}: ${f.field}`, message: f.message }))),
        },
      );
    }
    await db.transaction(async (tx) => {
      for (let i = 0; i < takes.length; i += 200)
        await tx
          .getRepository(Takes)
          .insert(takes.slice(i, i + 200).map((t) => ({ ...t, productionId, version: 1 })) as never);
    });
    res.status(201).json({ ...answer, imported: takes.length });
  });

  router.post('/read-file', async (req, res) => {
    const takeId = z.uuid().optional().parse(req.query.takeId);
    const productionId = req.production.id;
    const [bodies, lenses] = await Promise.all([
      db.getRepository(Bodies).findBy({ productionId }),
      db.getRepository(Lenses).findBy({ productionId }),
    ]);
    const take = takeId ? await db.getRepository(Takes).findOneBy({ productionId, id: takeId }) : null;
    const clocks = take
      ? await db
          .getRepository(CameraClocks)
          .createQueryBuilder('c')
          .where('c.production_id = :productionId AND c.camera = :camera', { productionId, camera: take.camera })
          .getMany()
      : [];
    const read: Awaited<ReturnType<typeof cellsFromFile>>[] = [];
    await receiveUpload(req, files, async ({ name, received }) => {
      try {
        read.push(await cellsFromFile(received.path, name, bodies, lenses, clocks[0]?.offsetS ?? 0));
      } finally {
        await received.discard();
      }
    });
    if (read.length === 0) throw new ApiProblem(422, 'no-files', 'The upload held no file');
    res.json(read[0]);
  });
  return router;
}
