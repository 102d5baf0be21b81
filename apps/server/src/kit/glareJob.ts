import { measureRigGlare } from '@tawny/pipeline';
import { Rigs } from '../db/entities';
import type { JobHandler } from '../jobs/runner';

/** Measures a rig's veiling glare from two brackets of the same look and keeps it in the kit, where rounds to come find it. */
export const measureGlareJob: JobHandler<'measureGlare'> = async ({ db, files, job, control }) => {
  const { seen, covered, coverDeg } = job.input;
  const where = { productionId: job.productionId, id: job.subjectId };
  const rig = await db.getRepository(Rigs).findOneByOrFail(where);
  const all = [...seen, ...covered];
  control.onProgress?.({ stage: 'Merging both brackets', fraction: 0.1 });
  const found = await files.withLocalFiles(
    all.map((f) => f.hash),
    (paths) => {
      const frames = all.map((f, i) => ({ name: f.name, path: paths[i] }));
      return measureRigGlare(frames.slice(0, seen.length), frames.slice(seen.length), rig.statement, coverDeg, control);
    },
  );
  control.onLog?.(`${(100 * found.share).toFixed(1)} % of a source's light is spread over the sphere`);
  return async (tx) => {
    // The statement may have been changed meanwhile: only the glare is ours.
    await tx.query(
      "UPDATE panorama_rigs SET statement = jsonb_set(statement, '{glare}', $1::jsonb), version = version + 1, updated_at = now() WHERE production_id = $2 AND id = $3",
      [
        JSON.stringify({ curve: found.curve, measuredOn: new Date().toISOString().slice(0, 10) }),
        where.productionId,
        where.id,
      ],
    );
    return rig.id;
  };
};
