import { Router } from 'express';
import type { EntitySchema } from 'typeorm';
import { z } from 'zod';
import { readExrWindow } from '@tawny/formats';
import { PANORAMA_TILE as TILE, type Panorama } from '@tawny/contract';
import { Panoramas, type Owned, type StoredPanorama } from '../db/entities';
import { bare } from '../http/records';
import { notFound } from '../problems';
import { decodeFloatPicture, encodeFloatPicture } from './floatPicture';
import { panoramaDifference } from './difference';
import type { Services } from '../services';

/** What the API shows of a panorama. */
export function publicPanorama(p: Owned<StoredPanorama>): Panorama & { log: string[] } {
  const { floatHash: _f, previewHash: _p, ...rest } = bare(p);
  return rest;
}

export function panoramaRoutes({ db, files }: Services): Router {
  const router = Router({ mergeParams: true });
  const repository = db.getRepository(Panoramas as EntitySchema<Owned<StoredPanorama>>);
  const find = async (productionId: string, id: string) => {
    const found = await repository.findOneBy({ productionId, id });
    if (!found) throw notFound('panorama');
    return found;
  };

  router.get('/', async (req, res) => {
    const roundId = req.query.roundId === undefined ? undefined : z.uuid().parse(req.query.roundId);
    const items = await repository.find({
      where: { productionId: req.production.id, ...(roundId ? { roundId } : {}) },
      order: { createdAt: 'DESC' },
      take: 200,
    });
    res.json({ items: items.map(publicPanorama), next: null });
  });
  router.get('/:id', async (req, res) => {
    res.json(publicPanorama(await find(req.production.id, req.params.id)));
  });

  router.get('/:id/difference', async (req, res) => {
    const against = await find(
      req.production.id,
      z.uuid('State the panorama to compare with as "against"').parse(req.query.against),
    );
    const own = await find(req.production.id, req.params.id);
    const read = async (p: StoredPanorama) => decodeFloatPicture(await files.read(p.floatHash));
    res.json(panoramaDifference(await read(against), await read(own)));
  });

  /** A tile of the full panorama as float data; tiles are `TILE` wide and half as high, counted from the upper left. */
  router.get('/:id/tiles/:column/:row', async (req, res) => {
    const found = await find(req.production.id, req.params.id);
    const [column, row] = [req.params.column, req.params.row].map((v) => z.coerce.number().int().min(0).parse(v));
    const [width, height] = [Math.min(TILE, found.widthPx), Math.min(TILE / 2, found.heightPx)];
    if ((column + 1) * width > found.widthPx || (row + 1) * height > found.heightPx) throw notFound('tile');
    const tile = await readExrWindow(files.localPath(found.exrHash), 'panorama.exr', {
      x: column * width,
      y: row * height,
      width,
      height,
    });
    res
      .set({ 'Content-Type': 'application/octet-stream', 'Cache-Control': 'private, max-age=31536000, immutable' })
      .send(encodeFloatPicture(tile));
  });

  const file = (suffix: string, type: string, hash: (p: StoredPanorama) => string) =>
    router.get(`/:id/${suffix}`, async (req, res) => {
      const found = await find(req.production.id, req.params.id);
      res.set({
        'Content-Type': type,
        'Cache-Control': 'private, max-age=31536000, immutable',
        'Content-Length': String(await files.size(hash(found))),
      });
      files.stream(hash(found)).pipe(res);
    });
  file('float', 'application/octet-stream', (p) => p.floatHash);
  file('preview.jpg', 'image/jpeg', (p) => p.previewHash);
  file('panorama.exr', 'image/x-exr', (p) => p.exrHash);
  file('measure.png', 'image/png', (p) => {
    if (p.measureHash === null) throw notFound('mask: this panorama was made elsewhere, its mask');
    return p.measureHash;
  });
  return router;
}
