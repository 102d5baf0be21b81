import { randomUUID } from 'node:crypto';
import { Router } from 'express';
import { Readable } from 'node:stream';
import type { EntitySchema } from 'typeorm';
import { z } from 'zod';
import { timecodeOfFrames, framesOfTimecode, parseTimecode } from '@tawny/core';
import type { Clip } from '@tawny/contract';
import { FileProblem, readImageHead } from '@tawny/formats';
import fs from 'node:fs/promises';
import { ClipFrames, Clips, Takes, type Owned } from '../db/entities';
import { receiveUpload } from '../files/receiveUpload';
import type { Received } from '../files/store';
import { bare } from '../http/records';
import { enqueue, publicJob } from '../jobs/queue';
import { addPlate } from '../plates/addPlate';
import { ApiProblem, notFound } from '../problems';
import type { Services } from '../services';
import { holesOf, numberSequence } from './sequence';
import { probeVideo, videoFrame } from './video';

const IMAGE = /\.(jpe?g|png|tiff?)$/i;
const uploadQuery = z.object({
  acceptHoles: z.enum(['true', 'false']).optional(),
  fps: z.coerce.number().min(1).max(2000).optional(),
  startTimecode: z.string().max(12).optional(),
});

/** Timecode of a frame of a clip, null when the clip has none. */
export function frameTimecode(clip: Pick<Clip, 'startTimecode' | 'fps'>, frame: number): string | null {
  if (!clip.startTimecode) return null;
  const start = parseTimecode(clip.startTimecode, clip.fps);
  return timecodeOfFrames(framesOfTimecode(start, clip.fps) + frame, clip.fps, start.dropFrame);
}

/** Clips of a take: a video file, or an image sequence. */
export function takeClipRoutes({ db, boss, files }: Services): Router {
  const router = Router({ mergeParams: true });
  router.post('/:id/clips', async (req, res) => {
    const query = uploadQuery.parse(req.query);
    const productionId = req.production.id;
    const take = await db.getRepository(Takes).findOneBy({ productionId, id: req.params.id });
    if (!take) throw notFound('take');
    const uploads: { name: string; received: Received }[] = [];
    const forget = () => Promise.all(uploads.map((u) => u.received.discard()));
    try {
      await receiveUpload(req, files, async (file) => {
        uploads.push(file);
      });
      if (uploads.length === 0) throw new ApiProblem(422, 'no-files', 'The upload held no file');
      const id = randomUUID();
      const common = { id, productionId, takeId: take.id, stripFrames: [], version: 1 };
      if (uploads.length === 1 && !IMAGE.test(uploads[0].name)) {
        const [{ name, received }] = uploads;
        const facts = await probeVideo(received.path, name);
        await received.keep();
        await db
          .getRepository(Clips)
          .insert({ ...common, name, kind: 'video', hash: received.hash, ...facts } as never);
      } else {
        const numbered = numberSequence(uploads.map((u) => u.name));
        const holes = holesOf(numbered);
        if (holes.length > 0 && query.acceptHoles !== 'true') {
          throw new ApiProblem(
            422,
            'sequence-with-holes',
            `The sequence lacks frame ${holes.join(', ')}: send the missing files too, or accept the holes`,
            {
              errors: holes.map((h) => ({
                file: numbered[0].name.replace(/\d+(?=\.[^.]+$)/, h),
                message: `frame ${h} is missing`,
              })),
            },
          );
        }
        const of = (name: string) => uploads.find((u) => u.name === name)!;
        const heads = await Promise.all(
          numbered.map(async (f) => ({
            ...f,
            head: await readImageHead(await fs.readFile(of(f.name).received.path), f.name),
          })),
        );
        const odd = heads.find((h) => h.head.width !== heads[0].head.width || h.head.height !== heads[0].head.height);
        if (odd)
          throw new FileProblem(
            'unsupported',
            odd.name,
            `is ${odd.head.width} × ${odd.head.height} px, the sequence ${heads[0].head.width} × ${heads[0].head.height}`,
          );
        for (const u of uploads) await u.received.keep();
        await db.transaction(async (tx) => {
          await tx.getRepository(Clips).insert({
            ...common,
            name: numbered[0].name,
            kind: 'sequence',
            hash: null,
            widthPx: heads[0].head.width,
            heightPx: heads[0].head.height,
            fps: query.fps ?? take.fps,
            frames: numbered.length,
            startTimecode: query.startTimecode ?? take.timecodeIn,
          } as never);
          await tx.getRepository(ClipFrames).insert(
            numbered.map((f, i) => ({
              id: randomUUID(),
              productionId,
              clipId: id,
              number: i,
              hash: of(f.name).received.hash,
              previewHash: '',
            })) as never,
          );
        });
      }
      await enqueue(db, boss, { productionId, kind: 'readClip', subjectId: id, input: {} });
      res.status(201).json(bare(await db.getRepository(Clips).findOneByOrFail({ id })));
    } catch (error) {
      await forget();
      throw error;
    }
  });
  return router;
}

const plateInput = z.object({ frame: z.number().int().min(0) });

export function clipRoutes({ db, boss, files }: Services): Router {
  const router = Router({ mergeParams: true });
  const find = async (productionId: string, id: string) => {
    const found = await db.getRepository(Clips as EntitySchema<Owned<Clip>>).findOneBy({ productionId, id });
    if (!found) throw notFound('clip');
    return found;
  };
  router.get('/', async (req, res) => {
    const takeId = z.uuid('State the takeId whose clips are wanted').parse(req.query.takeId);
    const items = await db
      .getRepository(Clips)
      .find({ where: { productionId: req.production.id, takeId }, order: { createdAt: 'DESC' } });
    res.json({ items: items.map(bare), next: null });
  });
  router.post('/:id/strip', async (req, res) => {
    const clip = await find(req.production.id, req.params.id);
    res
      .status(202)
      .json(
        publicJob(
          await enqueue(db, boss, { productionId: req.production.id, kind: 'readClip', subjectId: clip.id, input: {} }),
        ),
      );
  });
  router.get('/:id/frames/:number.jpg', async (req, res) => {
    const clip = await find(req.production.id, req.params.id);
    const frame = await db.getRepository(ClipFrames).findOneBy({ clipId: clip.id, number: Number(req.params.number) });
    if (!frame?.previewHash) throw notFound('frame of the filmstrip');
    res.set({ 'Content-Type': 'image/jpeg', 'Cache-Control': 'private, max-age=31536000, immutable' });
    files.stream(frame.previewHash).pipe(res);
  });
  router.post('/:id/plates', async (req, res) => {
    const { frame } = plateInput.parse(req.body);
    const clip = await find(req.production.id, req.params.id);
    if (frame >= clip.frames)
      throw new ApiProblem(422, 'no-such-frame', `${clip.name} has ${clip.frames} frames: there is no frame ${frame}`, {
        errors: [{ field: 'frame', message: `is beyond ${clip.frames - 1}` }],
      });
    const take = await db.getRepository(Takes).findOneByOrFail({ productionId: req.production.id, id: clip.takeId });
    const stored =
      clip.kind === 'sequence'
        ? await db.getRepository(ClipFrames).findOneByOrFail({ clipId: clip.id, number: frame })
        : null;
    const bytes = stored
      ? await files.read(stored.hash!)
      : await videoFrame(files.localPath(clip.hash!), clip.name, frame, clip.fps);
    const timecode = frameTimecode(clip, frame);
    const ending = stored ? (clip.name.match(/\.[^.]+$/)?.[0] ?? '') : '.png';
    const name = `${clip.name.replace(/\.[^.]+$/, '')}_${timecode ? timecode.replace(/[:;]/g, '') : String(frame).padStart(5, '0')}${ending}`;
    res.status(201).json(await addPlate(db, files, take, await files.receive(Readable.from(bytes)), name));
  });
  return router;
}
