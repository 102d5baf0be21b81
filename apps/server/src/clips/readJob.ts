import { randomUUID } from 'node:crypto';
import sharp from 'sharp';
import { throwIfCancelled } from '@tawny/pipeline';
import { ClipFrames, Clips } from '../db/entities';
import type { JobHandler } from '../jobs/runner';
import { videoFrame } from '../decode/video';

const STRIP = 12;
const WIDTH = 320;

/** Reads frames of a clip to look through: a dozen from its first to its last. */
export const readClipJob: JobHandler<'readClip'> = async ({ db, files, job, control }) => {
  const { productionId } = job;
  const clip = await db.getRepository(Clips).findOneByOrFail({ productionId, id: job.subjectId });
  const count = Math.min(STRIP, clip.frames);
  const numbers = [
    ...new Set(
      Array.from({ length: count }, (_, i) => (count === 1 ? 0 : Math.round((i * (clip.frames - 1)) / (count - 1)))),
    ),
  ];
  const known = await db.getRepository(ClipFrames).findBy({ clipId: clip.id });
  const previews: { number: number; previewHash: string }[] = [];
  for (const number of numbers) {
    throwIfCancelled(control);
    const stored = known.find((f) => f.number === number)?.hash;
    const source = stored
      ? await files.read(stored)
      : await files.withLocalFiles([clip.hash!], ([path]) => videoFrame(path, clip.name, number, clip.fps, WIDTH));
    const jpeg = sharp(source).rotate().resize({ width: WIDTH }).toColourspace('srgb').jpeg({ quality: 80 });
    previews.push({ number, previewHash: await files.put(await jpeg.toBuffer()) });
    control.onProgress?.({
      stage: `Frame ${previews.length} of ${numbers.length} of the clip`,
      fraction: previews.length / numbers.length,
    });
  }
  return async (tx) => {
    for (const { number, previewHash } of previews) {
      await tx.query(
        `INSERT INTO clip_frames (id, production_id, clip_id, number, hash, preview_hash) VALUES ($1, $2, $3, $4, NULL, $5)
         ON CONFLICT (clip_id, number) DO UPDATE SET preview_hash = excluded.preview_hash`,
        [randomUUID(), productionId, clip.id, number, previewHash],
      );
    }
    await tx.getRepository(Clips).update({ id: clip.id }, { stripFrames: previews.map((p) => p.number) } as never);
    return clip.id;
  };
};
