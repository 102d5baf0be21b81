import { isDeepStrictEqual } from 'node:util';
import { compassOfViews, fieldOfViewScaled, inSpace, type KeptResponse, type Provenance } from '@tawny/core';
import { UNSTATED_RIG, type LightRound, type Panorama } from '@tawny/contract';
import { buildPanorama, checkInThread, type BuildResult, knownOfBuild, throwIfCancelled } from '@tawny/pipeline';
import type { Queries } from '../db/dataSource';
import { Frames, Productions, Rigs, Rounds, type Owned } from '../db/entities';
import type { JobHandler } from '../jobs/runner';
import { sunOfRound } from './sunOfRound';
import { useFact, type UsedFact } from '../records/facts';
import { storePanorama } from '../panoramas/storePanorama';
import { manualGroups } from './grouping';
import type { ReadFrame } from './addFrame';

type PlacedFrame = Pick<ReadFrame, 'id' | 'name' | 'hash' | 'headingDeg' | 'tiltDeg' | 'rollDeg'>;

/** A round's frames as the pipeline wants them, at the paths that the store lends. */
export function roundFrames(round: LightRound, frames: readonly PlacedFrame[], paths: readonly string[]) {
  const at = new Map(frames.map((f, i) => [f.id, paths[i]]));
  return {
    files: frames.map((f) => ({
      name: f.name,
      path: at.get(f.id)!,
      attitude:
        f.headingDeg === null ? null : { headingDeg: f.headingDeg, tiltDeg: f.tiltDeg ?? 0, rollDeg: f.rollDeg ?? 0 },
    })),
    rig: round.rig,
    views: round.manualViews
      ? manualGroups(frames, round.manualViews).map((g) => g.map((f) => at.get(f.id)!))
      : undefined,
  };
}

type FrameMeaning = Pick<ReadFrame, 'bits' | 'fileDecoding' | 'fileDecodingSource'>;

/** Who says what the frames' code values mean, before the round itself is asked; where nobody does it is an assumption. */
function decodingOfFrames(round: LightRound, frames: readonly FrameMeaning[]): Pick<Provenance, 'kind' | 'source'> {
  if (round.rig.curve) return { kind: 'logged', source: `${round.rig.curve} curve, stated with the rig` };
  const silent = frames.find((f) => !f.fileDecoding);
  if (!silent) return { kind: 'fromFile', source: [...new Set(frames.map((f) => f.fileDecodingSource))].join('; ') };
  const taken = silent.bits === 8 ? '8 bits by the sRGB curve or the measured one' : '16 bits taken as linear';
  return { kind: 'assumed', source: `${taken}: ${silent.fileDecodingSource}` };
}

/** What a build rests on: the frames themselves, the rig as it is stated, and how codes are taken for light. */
async function factsOfBuild(
  db: Queries,
  round: Owned<LightRound>,
  frames: readonly FrameMeaning[],
): Promise<UsedFact[]> {
  const kit = round.rigId
    ? await db.getRepository(Rigs).findOneBy({ productionId: round.productionId, id: round.rigId })
    : null;
  const stated =
    kit !== null || Object.keys(round.rig).length > 3 || !isDeepStrictEqual({ ...round.rig }, UNSTATED_RIG);
  return [
    await useFact(db, Rounds, round, ['manualViews'], {
      name: 'frames',
      provenance: { kind: 'fromFile', source: `${frames.length} frames`, at: null },
    }),
    await useFact(db, Rounds, round, ['rig'], {
      name: 'rig',
      provenance: stated
        ? { kind: 'logged', source: kit ? `${kit.name} of the kit` : 'stated with the round', at: null }
        : { kind: 'assumed', source: 'six fisheye views of 185°, as no rig was stated', at: null },
    }),
    await useFact(db, Rounds, round, ['rig'], {
      name: DECODING,
      provenance: { ...decodingOfFrames(round, frames), at: null },
    }),
  ];
}

const DECODING = 'decoding of the frames';

/** The same once it is built: where the frames tell too little, what their codes mean rests on earlier rounds of the rig. */
export const factsAfter = (
  facts: readonly UsedFact[],
  { responseFrom }: Pick<BuildResult, 'responseFrom'>,
): UsedFact[] =>
  facts.map((f) =>
    f.name === DECODING && responseFrom === 'rig'
      ? {
          ...f,
          provenance: {
            ...f.provenance,
            kind: 'assumed',
            source: `the response that earlier rounds of the rig taught; ${f.provenance.source}`,
          },
        }
      : f,
  );

/** What a build learnt of the rig; null when no lens was fitted. */
function learnedOf(rig: LightRound['rig'], built: BuildResult): Panorama['learned'] {
  if (built.focalUncertainty === null) return null;
  return {
    fovDeg: fieldOfViewScaled(rig.projection, rig.fovDeg, built.focalScale),
    statedFovDeg: rig.fovDeg,
    focalUncertainty: built.focalUncertainty,
    poly: [built.poly[0], built.poly[1]],
    falloff: built.falloff && {
      terms: [built.falloff.terms[0], built.falloff.terms[1], built.falloff.terms[2]],
      uncertaintyStops: built.falloff.uncertaintyStops,
    },
    pupilMmPerM: 1000 * built.pupilShare,
    // What earlier rounds taught is not taught by this one.
    responseDepartureStops: built.responseFrom === 'rig' ? null : built.responseDepartureStops,
    response: built.responseTaught && {
      ...built.responseTaught,
      departures: built.responseTaught.departures.map((d) =>
        d.map((v) => Number(v.toFixed(5))),
      ) as KeptResponse['departures'],
    },
    exposureFactors: built.exposureFactors,
  };
}

/** The compass of the camera, where the first frames of views told bearings by one and the same north. */
function compassOf(
  frames: readonly Pick<ReadFrame, 'name' | 'compassDeg' | 'compassNorth'>[],
  { views, attitudes }: BuildResult,
): Panorama['viewsCompass'] {
  const lenses = attitudes.length / views.length;
  const told = views.flatMap((v, k) => {
    const frame = frames.find((f) => f.name === v.frames[0]);
    return frame && frame.compassDeg !== null && frame.compassNorth !== null
      ? [{ attitude: attitudes[k * lenses], bearingDeg: frame.compassDeg, north: frame.compassNorth }]
      : [];
  });
  const north = told[0]?.north;
  if (!north || told.some((t) => t.north !== north)) return null;
  const joined = compassOfViews(told);
  return joined && { ...joined, north };
}

/**
 * Frames of a round to a stored panorama. A build that was killed goes on from the views that it had merged.
 * @param wholeMostPx wider panoramas are written strip by strip
 */
export const buildJob =
  (wholeMostPx: number): JobHandler<'build'> =>
  async (context) => {
    const { db, files, job, control } = context;
    const started = Date.now();
    const { widthPx, ...options } = job.input;
    const round = await db.getRepository(Rounds).findOneByOrFail({ productionId: job.productionId, id: job.subjectId });
    const production = await db.getRepository(Productions).findOneByOrFail({ id: job.productionId });
    // In an order that does not hang on when files happened to arrive: the same frames build the same panorama.
    const frames = await db.getRepository(Frames).find({
      where: { productionId: job.productionId, roundId: round.id },
      order: { takenAt: 'ASC', name: 'ASC' },
    });
    const facts = await factsOfBuild(db, round, frames);
    const almanac = await sunOfRound(db, round);
    const log: string[] = [];
    return files.withLocalFiles(
      frames.map((f) => f.hash),
      async (paths) => {
        const built = await buildPanorama(
          {
            ...roundFrames(round, frames, paths),
            width: widthPx,
            wholeMostPx,
            options,
            workFolder: files.workFolder(`build-${job.id}`),
          },
          {
            ...control,
            onProgress: (p) => control.onProgress?.({ stage: p.stage, fraction: 0.85 * p.fraction }),
            onLog: (line) => {
              log.push(line);
              control.onLog?.(line);
            },
          },
        );
        throwIfCancelled(control);
        control.onProgress?.({ stage: 'Looking for the sun', fraction: 0.86 });
        const attributes = {
          latlong: true,
          clippedSr: built.clippedSr,
          northAligned: false,
        };
        // Whatever the frames were in, the panorama is in the production's working space.
        const image = inSpace(built.panorama, production.workingSpace);
        const { inspection, checks, levelDeg } = await checkInThread(
          image,
          attributes,
          { ...knownOfBuild(built, options), widthPx },
          almanac.expected,
          control,
        );
        control.onProgress?.({ stage: 'Writing OpenEXR and display pictures', fraction: 0.9 });
        return storePanorama(context, {
          roundId: round.id,
          facts: [...factsAfter(facts, built), ...(inspection.sun?.witnessed ? almanac.facts : [])],
          image,
          full: built.full,
          attributes,
          measure: built,
          sunFrameId: inspection.sun ? frames[paths.indexOf(built.brightestFrame)].id : null,
          inspection,
          checks,
          levelDeg,
          learned: learnedOf(round.rig, built),
          viewsCompass: compassOf(frames, built),
          uncoveredSr: built.uncoveredSr,
          seamStops: built.seamStops,
          framesPerView: built.bracketFrames,
          warnings: built.warnings,
          options,
          moved: built.moved,
          log,
          buildSeconds: () => (Date.now() - started) / 1000,
        });
      },
    );
  };
