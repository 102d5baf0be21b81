import type { Handoff, Job } from '@tawny/contract';
import { table } from '../table';

export type StoredHandoff = Omit<Handoff, 'basis'>;
export const Handoffs = table<StoredHandoff>('handoffs', {
  setupId: 'uuid',
  panoramaId: 'uuid',
  takeId: 'uuid',
  number: 'integer',
  fileName: 'text',
  sizeBytes: 'bigint',
  hash: 'text',
  files: 'jsonb',
  missing: 'jsonb',
});
export type StoredJob = Omit<Job, 'ahead'> & {
  input: unknown;
  worker: string | null;
  leaseUntil: string | null;
  background: boolean;
  cancelRequested: boolean;
};
export const Jobs = table<StoredJob>(
  'jobs',
  {
    kind: 'text',
    subjectId: 'uuid',
    state: 'text',
    stage: 'text',
    progress: 'float8',
    log: 'jsonb',
    error: 'jsonb?',
    resultId: 'uuid?',
    finishedAt: 'timestamptz?',
    input: 'jsonb',
    worker: 'text?',
    leaseUntil: 'timestamptz?',
    attempt: 'integer',
    background: 'boolean',
    cancelRequested: 'boolean',
  },
  { versioned: false },
);
