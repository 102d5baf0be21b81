import { randomUUID } from 'node:crypto';
import { Readable } from 'node:stream';
import { framesOfTimecode, parseTimecode, timecodeOfFrames } from '@tawny/core';
import type { Clip } from '@tawny/contract';
import { FileProblem } from '@tawny/formats';
import type { Queries } from '../db/dataSource';
import { ClipFrames, Clips, Takes, type Owned, type StoredClip, type StoredDecoding } from '../db/entities';
import type { Decoder } from '../decode/tasks';
import { fromFile, statedDecodings } from '../decodings/stated';
import type { UploadedFile } from '../files/uploads';
import type { Handlers } from '../http/handler';
import { enqueue } from '../jobs/enqueue';
import { readPlate, recordPlate } from '../plates/addPlate';
import { ApiProblem, notFound } from '../problems';
import { bare } from '../records/bare';
import { findOwned } from '../records/find';
import { listPage } from '../records/listPage';
import { takeClock } from '../records/takeClock';
import type { Services } from '../services';
import { clipStart, sequenceStart } from './clipStart';
import { holesOf, numberSequence } from './sequence';

const IMAGE = /\.(jpe?g|png|tiff?|exr|hdr|dng|cr2|cr3|nef|nrw|arw|raf|rw2|orf|pef|srw|3fr|iiq)$/i;

/** Timecode of a frame of a clip, null when the clip has none. */
export function frameTimecode(clip: Pick<Clip, 'startTimecode' | 'fps'>, frame: number): string | null {
  if (!clip.startTimecode) return null;
  const start = parseTimecode(clip.startTimecode, clip.fps);
  return timecodeOfFrames(framesOfTimecode(start, clip.fps) + frame, clip.fps, start.dropFrame);
}

/** Clips as the API shows them. */
async function publicClips(db: Queries, productionId: string, clips: readonly Owned<StoredClip>[]): Promise<Clip[]> {
  const decodings = await statedDecodings(db, productionId, clips);
  return clips.map((clip) => {
    const { fileDecoding: _file, fileDecodingSource: _source, enteredDecoding: _entered, ...shown } = bare(clip);
    return { ...shown, decoding: decodings.get(clip)! };
  });
}

interface ClipFacts {
  clip: Omit<Clip, 'id' | 'version' | 'createdAt' | 'updatedAt' | 'takeId' | 'stripFrames' | 'decoding'> &
    StoredDecoding;
  /** Hashes of a sequence's frames in their order. */
  frames: string[];
}

type Clock = { offsetS: number; zone: string };

async function videoFacts(decoder: Decoder, { name, received }: UploadedFile, clock: Clock): Promise<ClipFacts> {
  const { signal: _signal, meaning, time, ...facts } = await decoder.run('probeVideo', received.path, name);
  const start = clipStart({ ...facts, ...time }, clock);
  return { clip: { name, kind: 'video', hash: received.hash, ...facts, ...start, ...fromFile(meaning) }, frames: [] };
}

/** @throws ApiProblem naming frames that are missing, FileProblem naming a file of another size */
async function sequenceFacts(
  decoder: Decoder,
  uploads: readonly UploadedFile[],
  query: { acceptHoles?: string },
  otherwise: Pick<Clip, 'fps' | 'startTimecode'>,
  clock: Clock,
): Promise<ClipFacts> {
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
  const of = (name: string) => uploads.find((u) => u.name === name)!.received;
  const heads = await decoder.run(
    'imageHeads',
    numbered.map(({ name }) => ({ name, path: of(name).path })),
  );
  const { width, height, meaning, metadata } = heads[0];
  const odd = heads.find((h) => h.width !== width || h.height !== height);
  if (odd)
    throw new FileProblem(
      'unsupported',
      odd.name,
      `is ${odd.width} × ${odd.height} px, the sequence ${width} × ${height}`,
    );
  return {
    clip: {
      name: numbered[0].name,
      kind: 'sequence',
      hash: null,
      widthPx: width,
      heightPx: height,
      frames: numbered.length,
      ...otherwise,
      ...sequenceStart(metadata, clock),
      ...fromFile(meaning),
    },
    frames: numbered.map((f) => of(f.name).hash),
  };
}

/** Clips of a take: a video file, or an image sequence. */
export const clipOperations = ({ db, files, decoder, uploads }: Services): Handlers<'clips'> => ({
  list: async ({ tx, production, query: { takeId, ...page } }) => {
    const order = { by: ['createdAt'], direction: 'DESC' } as const;
    const { items, next } = await listPage(tx, Clips, order, production.id, { takeId }, page);
    return { items: await publicClips(tx, production.id, items), next };
  },
  upload: async ({ production, params, query, request, background }) => {
    const productionId = production.id;
    const take = await findOwned(db, Takes, productionId, params.id, 'take');
    const clock = await takeClock(db, take);
    return uploads.all(request, async (uploads) => {
      const { clip, frames } =
        uploads.length === 1 && !IMAGE.test(uploads[0].name)
          ? await videoFacts(decoder, uploads[0], clock)
          : await sequenceFacts(
              decoder,
              uploads,
              query,
              { fps: query.fps ?? take.fps, startTimecode: query.startTimecode ?? take.timecodeIn },
              clock,
            );
      for (const u of uploads) await u.received.keep();
      const id = randomUUID();
      return db.transaction(async (tx) => {
        await tx
          .getRepository(Clips)
          .insert({ ...clip, id, productionId, takeId: take.id, stripFrames: [], version: 1 } as never);
        const rows = frames.map((hash, number) => ({
          id: randomUUID(),
          productionId,
          clipId: id,
          number,
          hash,
          previewHash: '',
        }));
        if (rows.length > 0) await tx.getRepository(ClipFrames).insert(rows as never);
        await enqueue(tx, { productionId, kind: 'readClip', subjectId: id, input: {}, background });
        return (await publicClips(tx, productionId, [await tx.getRepository(Clips).findOneByOrFail({ id })]))[0];
      });
    });
  },
  strip: async ({ tx, production, params, background }) => {
    const clip = await findOwned(tx, Clips, production.id, params.id, 'clip');
    return enqueue(tx, { productionId: production.id, kind: 'readClip', subjectId: clip.id, input: {}, background });
  },
  frame: async ({ tx, production, params }) => {
    const clip = await findOwned(tx, Clips, production.id, params.id, 'clip');
    const number = Number(params.number);
    const frame = Number.isInteger(number)
      ? await tx.getRepository(ClipFrames).findOneBy({ clipId: clip.id, number })
      : null;
    if (!frame?.previewHash) throw notFound('frame of the strip');
    return { content: { hash: frame.previewHash }, type: 'image/jpeg', lasting: true };
  },
  plate: async ({ tx, production, params, body: { frame } }) => {
    const clip = await findOwned(tx, Clips, production.id, params.id, 'clip');
    if (frame >= clip.frames)
      throw new ApiProblem(422, 'no-such-frame', `${clip.name} has ${clip.frames} frames: there is no frame ${frame}`, {
        errors: [{ field: 'frame', message: `is beyond ${clip.frames - 1}` }],
      });
    const take = await findOwned(tx, Takes, production.id, clip.takeId, 'take');
    const stored =
      clip.kind === 'sequence'
        ? await tx.getRepository(ClipFrames).findOneByOrFail({ clipId: clip.id, number: frame })
        : null;
    const bytes = stored
      ? await files.read(stored.hash!)
      : await files.withLocalFiles([clip.hash!], ([path]) => decoder.run('videoPlate', path, clip.name, frame));
    const timecode = frameTimecode(clip, frame);
    const ending = stored ? (clip.name.match(/\.[^.]+$/)?.[0] ?? '') : '.png';
    const name = `${clip.name.replace(/\.[^.]+$/, '')}_${timecode ? timecode.replace(/[:;]/g, '') : String(frame).padStart(5, '0')}${ending}`;
    // A frame of a video means what its stream says; one of a sequence is a file that speaks for itself.
    const known = stored ? undefined : { decoding: clip.fileDecoding, source: clip.fileDecodingSource };
    const received = await files.receive(Readable.from([bytes]));
    return recordPlate(tx, await readPlate(files, decoder, take, received, name, known));
  },
});
