import { z } from 'zod';
import { measureRigGlare } from '@tawny/pipeline';
import { Rigs } from '../db/entities';
import type { JobHandler } from '../jobs/runner';

const framesOf = z.array(z.object({ hash: z.string(), name: z.string() })).min(1);
export const glareJobInput = z.object({ seen: framesOf, covered: framesOf, coverDeg: z.number() });

/** Measures a rig's veiling glare from two brackets of the same look and keeps it in the kit, where rounds to come find it. */
export const measureGlareJob: JobHandler = async ({ db, files, job, control }) => {
  const { seen, covered, coverDeg } = glareJobInput.parse(job.input);
  const where = { productionId: job.productionId, id: job.subjectId };
  const rig = await db.getRepository(Rigs).findOneByOrFail(where);
  const at = (list: typeof seen) => list.map((f) => ({ name: f.name, path: files.localPath(f.hash) }));
  control.onProgress?.({ stage: 'Merging both brackets', fraction: 0.1 });
  const found = await measureRigGlare(at(seen), at(covered), rig.statement, coverDeg, control);
  control.onProgress?.({ stage: 'Keeping it in the kit', fraction: 0.95 });
  control.onLog?.(`${(100 * found.share).toFixed(1)} % of a source's light is spread over the sphere`);
  // The statement may have been changed meanwhile: only the glare is ours.
  await db.query(
    "UPDATE panorama_rigs SET statement = jsonb_set(statement, '{glare}', $1::jsonb), version = version + 1, updated_at = now() WHERE production_id = $2 AND id = $3",
    [
      JSON.stringify({ curve: found.curve, measuredOn: new Date().toISOString().slice(0, 10) }),
      where.productionId,
      where.id,
    ],
  );
  return rig.id;
};
