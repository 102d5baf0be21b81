import { z } from 'zod';
import type { Pixels } from '@tawny/core';
import { readExrWindow } from '@tawny/formats';
import { PANORAMA_TILE as TILE, type Panorama } from '@tawny/contract';
import { decodeFloatPicture, encodeFloatPicture, panoramaDifference } from '@tawny/pipeline';
import type { Queries } from '../db/dataSource';
import { Panoramas, type Owned, type StoredPanorama } from '../db/entities';
import type { FileReply, Handlers } from '../http/handler';
import { notFound } from '../problems';
import { bare } from '../records/bare';
import { basisOf } from '../records/facts';
import { findOwned } from '../records/find';
import { listPage } from '../records/listPage';
import type { Services } from '../services';

/** What the API shows of panoramas. */
async function publicPanoramas(db: Queries, stored: readonly Owned<StoredPanorama>[]): Promise<Panorama[]> {
  const basis = await basisOf(
    db,
    'panoramas',
    stored.map((p) => p.id),
  );
  return stored.map((p) => {
    const { floatHash: _f, previewHash: _p, ...rest } = bare(p);
    return { ...rest, basis: basis.get(p.id)! };
  });
}

/** What the numbers of a stored panorama are. */
export const pixelsOf = ({ space }: Pick<StoredPanorama, 'space'>): Pixels => ({ space, unit: 'relative' });

export const findPanorama = (db: Queries, productionId: string, id: string) =>
  findOwned(db, Panoramas, productionId, id, 'panorama');

const whole = z.coerce.number().int().min(0);

/** Operations on panoramas that measure something on them. */
export type MeasuredOn =
  | 'calibration'
  | 'calibrations'
  | 'choose'
  | 'setAside'
  | 'exposures'
  | 'north'
  | 'propose'
  | 'orient'
  | 'shareTurn'
  | 'surface'
  | 'card'
  | 'colour'
  | 'colourByRegions'
  | 'findChart';

/** What is read of a panorama; its calibration is measured elsewhere. */
export function panoramaOperations({ db, files }: Services): Omit<Handlers<'panoramas'>, MeasuredOn> {
  const find = (productionId: string, id: string) => findPanorama(db, productionId, id);
  const stored =
    (type: string, hash: (p: StoredPanorama) => string) =>
    async ({ production, params }: { production: { id: string }; params: { id: string } }): Promise<FileReply> => ({
      content: { hash: hash(await find(production.id, params.id)) },
      type,
      lasting: true,
    });
  return {
    list: async ({ tx, production, query: { roundId, ...page } }) => {
      const order = { by: ['createdAt'], direction: 'DESC' } as const;
      const { items, next } = await listPage(tx, Panoramas, order, production.id, { roundId }, page);
      return { items: await publicPanoramas(tx, items), next };
    },
    get: async ({ tx, production, params }) => (await publicPanoramas(tx, [await find(production.id, params.id)]))[0],
    difference: async ({ production, params, query }) => {
      const against = await find(production.id, query.against);
      const own = await find(production.id, params.id);
      const read = async (p: StoredPanorama) => decodeFloatPicture(await files.read(p.floatHash), pixelsOf(p));
      return panoramaDifference(await read(against), await read(own));
    },
    /** Tiles are `TILE` wide and half as high, counted from the upper left. */
    tile: async ({ production, params }) => {
      const found = await find(production.id, params.id);
      const [column, row] = [params.column, params.row].map((v) => whole.parse(v));
      const [width, height] = [Math.min(TILE, found.widthPx), Math.min(TILE / 2, found.heightPx)];
      if ((column + 1) * width > found.widthPx || (row + 1) * height > found.heightPx) throw notFound('tile');
      const tile = await files.withLocalFiles([found.exrHash], ([path]) =>
        readExrWindow(path, 'panorama.exr', { x: column * width, y: row * height, width, height }, pixelsOf(found)),
      );
      return { content: { bytes: encodeFloatPicture(tile) }, type: 'application/octet-stream', lasting: true };
    },
    float: stored('application/octet-stream', (p) => p.floatHash),
    preview: stored('image/jpeg', (p) => p.previewHash),
    exr: stored('image/x-exr', (p) => p.exrHash),
    measure: stored('image/png', (p) => {
      if (p.measureHash === null) throw notFound('mask: this panorama was made elsewhere, its mask');
      return p.measureHash;
    }),
  };
}
