import { panoramaRigInput, type PanoramaRig } from '@tawny/contract';
import { Rigs } from '../db/entities';
import type { UploadedFile } from '../files/uploads';
import type { Handlers } from '../http/handler';
import { enqueue } from '../jobs/enqueue';
import { ApiProblem } from '../problems';
import { findOwned } from '../records/find';
import { writtenHandlers } from '../records/recordHandlers';
import type { Services } from '../services';

const frameOf = ({ name, received }: UploadedFile) => ({ hash: received.hash, name });

export const rigOperations = ({ db, uploads }: Services): Handlers<'rigs'> => ({
  ...writtenHandlers<'rigs', PanoramaRig>({
    entity: Rigs,
    noun: 'panorama rig',
    input: panoramaRigInput,
    order: { by: ['name'], direction: 'ASC' },
  }),
  /** Two brackets in one request, parts named `seen` (the sun in the picture) and `covered`. */
  measureGlare: async ({ tx, production, params, query, request, background }) => {
    const rig = await findOwned(tx, Rigs, production.id, params.id, 'rig');
    return uploads.all(request, async (uploads) => {
      const taken = {
        seen: uploads.filter((f) => f.field === 'seen'),
        covered: uploads.filter((f) => f.field === 'covered'),
      };
      assertBothBrackets(taken);
      await Promise.all([...taken.seen, ...taken.covered].map((f) => f.received.keep()));
      const input = { seen: taken.seen.map(frameOf), covered: taken.covered.map(frameOf), coverDeg: query.coverDeg };
      return db.transaction((own) =>
        enqueue(own, { productionId: production.id, kind: 'measureGlare', subjectId: rig.id, input, background }),
      );
    });
  },
});

/** @throws ApiProblem when a bracket is missing or a frame is in both */
function assertBothBrackets(taken: Record<'seen' | 'covered', UploadedFile[]>): void {
  for (const side of ['seen', 'covered'] as const) {
    if (taken[side].length === 0)
      throw new ApiProblem(422, 'no-files', `Frames with the sun ${side} are missing`, {
        errors: [{ field: side, message: `Choose the bracket with the sun ${side}` }],
      });
  }
  const common = taken.seen.find((f) => taken.covered.some((g) => g.received.hash === f.received.hash));
  if (common)
    throw new ApiProblem(
      422,
      'same-file',
      `${common.name} is in both brackets: the sun cannot be seen and covered in it`,
    );
}
