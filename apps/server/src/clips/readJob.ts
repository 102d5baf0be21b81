import { randomUUID } from 'node:crypto';
import sharp from 'sharp';
import { throwIfCancelled } from '@tawny/pipeline';
import { ClipFrames, Clips } from '../db/entities';
import type { JobHandler } from '../jobs/runner';
import { videoFrame } from './video';

const STRIP = 12;
const WIDTH = 320;

/** Makes the filmstrip of a clip: a dozen frames from its first to its last. */
export const readClipJob: JobHandler = async ({ db, files, job, control }) => {
  const { productionId } = job;
  const clip = await db.getRepository(Clips).findOneByOrFail({ productionId, id: job.subjectId });
  const count = Math.min(STRIP, clip.frames);
  const numbers = [
    ...new Set(
      Array.from({ length: count }, (_, i) => (count === 1 ? 0 : Math.round((i * (clip.frames - 1)) / (count - 1)))),
    ),
  ];
  const kept: number[] = [];
  for (const number of numbers) {
    throwIfCancelled(control);
    const there = await db.getRepository(ClipFrames).findOneBy({ clipId: clip.id, number });
    const source = there?.hash
      ? await files.read(there.hash)
      : await videoFrame(files.localPath(clip.hash!), clip.name, number, clip.fps, WIDTH);
    const previewHash = await files.put(
      await sharp(source).rotate().resize({ width: WIDTH }).toColourspace('srgb').jpeg({ quality: 80 }).toBuffer(),
    );
    if (there) await db.getRepository(ClipFrames).update({ id: there.id }, { previewHash });
    else
      await db
        .getRepository(ClipFrames)
        .insert({ id: randomUUID(), productionId, clipId: clip.id, number, hash: null, previewHash } as never);
    kept.push(number);
    control.onProgress?.({
      stage: `Frame ${kept.length} of ${numbers.length} on the filmstrip`,
      fraction: kept.length / numbers.length,
    });
  }
  await db.getRepository(Clips).update({ id: clip.id }, { stripFrames: kept } as never);
  return clip.id;
};
