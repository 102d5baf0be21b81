import { z } from 'zod';
import { uuid } from './common';
import { buildInput, handoffInput, measureGlareInput, simulateRoundInput } from './results';
import { referenceKind } from './setRecords';

const uploaded = z.object({ hash: z.string(), name: z.string() });

/** Kinds of work that are done outside a request: what each is given, what it makes, and what looks different after it. */
export const JOB_KINDS = {
  simulateRound: { input: simulateRoundInput, makes: 'round', changes: ['rounds', 'frames'] },
  simulatePlate: { input: z.object({}), makes: 'plate', changes: ['plates'] },
  simulateReference: {
    input: z.object({ kind: referenceKind, takeId: uuid }),
    makes: 'reference',
    changes: ['references'],
  },
  readClip: { input: z.object({}), makes: 'clip', changes: ['clips'] },
  checkViews: { input: z.object({}), makes: 'round', changes: ['rounds'] },
  build: { input: buildInput, makes: 'panorama', changes: ['panoramas'] },
  importPanorama: {
    input: uploaded.extend({ mirrored: z.boolean(), upsideDown: z.boolean() }),
    makes: 'panorama',
    changes: ['panoramas'],
  },
  /** The number of a package is given when it is asked for: it stands in the names of its files. */
  handoff: {
    input: handoffInput.extend({ number: z.number().int().positive() }),
    makes: 'handoff',
    changes: ['handoffs'],
  },
  measureGlare: {
    input: measureGlareInput.extend({ seen: z.array(uploaded).min(1), covered: z.array(uploaded).min(1) }),
    makes: 'rig',
    changes: ['rigs'],
  },
} as const;
export type JobKind = keyof typeof JOB_KINDS;
export type JobInput<K extends JobKind> = z.infer<(typeof JOB_KINDS)[K]['input']>;

export const jobSchema = z.object({
  id: uuid,
  kind: z.enum(Object.keys(JOB_KINDS) as [JobKind, ...JobKind[]]),
  subjectId: uuid,
  state: z.enum(['queued', 'running', 'done', 'failed', 'cancelled']),
  stage: z.string(),
  progress: z.number(),
  /** Jobs that are done before this one while it waits. */
  ahead: z.number(),
  /** How often a worker has begun it. */
  attempt: z.number(),
  log: z.array(z.string()),
  error: z.object({ code: z.string(), message: z.string() }).nullable(),
  resultId: uuid.nullable(),
  createdAt: z.string(),
  finishedAt: z.string().nullable(),
});
export type Job = z.infer<typeof jobSchema>;
