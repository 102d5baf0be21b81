import type { EntityManager } from 'typeorm';
import type { Take } from '@tawny/contract';
import { findingOf, type SurfaceGain } from '@tawny/core';
import { Takes, type Owned } from '../db/entities';
import { useFact, type UsedFact } from '../records/facts';
import { takeName } from './joinExposures';
import { from } from './patches';

/** What a take's exposure was logged as. */
export const exposureFact = (tx: EntityManager, take: Owned<Take>, uncertaintyStops: number): Promise<UsedFact> =>
  useFact(tx, Takes, take, ['tStop', 'ndStops', 'shutterAngleDeg', 'fps', 'ei'], {
    name: 'exposure of the take',
    provenance: from('logged', takeName(take)),
    uncertainty: uncertaintyStops,
    unit: 'stop',
  });

/** A gain that was measured, and the one that metadata predict. */
export const besideMetadata = (name: string, value: number, uncertainty: number, metadata: SurfaceGain) =>
  findingOf([
    { name, value, uncertainty, provenance: from('measured', name.toLowerCase()) },
    {
      name: 'Metadata',
      value: metadata.gainStops,
      uncertainty: metadata.uncertaintyStops,
      provenance: from('predicted', 'exposures of plate and rig'),
    },
  ]);
