import type { EntitySchema } from 'typeorm';
import type { z } from 'zod';
import {
  bodyInput,
  filterInput,
  instrumentInput,
  KIT_KINDS,
  lensInput,
  panoramaRigInput,
  referenceObjectInput,
  type KitKind,
} from '@tawny/contract';
import { Bodies, Filters, Instruments, Lenses, ReferenceObjects, Rigs, type Owned } from '../db/entities';

export interface KitThing {
  id: string;
  name: string;
  serial: string;
  version: number;
}

const TABLES: Record<KitKind, { entity: unknown; input: z.ZodObject }> = {
  bodies: { entity: Bodies, input: bodyInput },
  lenses: { entity: Lenses, input: lensInput },
  rigs: { entity: Rigs, input: panoramaRigInput },
  filters: { entity: Filters, input: filterInput },
  instruments: { entity: Instruments, input: instrumentInput },
  objects: { entity: ReferenceObjects, input: referenceObjectInput },
};

/** Kinds of kit in the order in which they refer to each other. */
export const KINDS = KIT_KINDS.map((name) => ({
  name,
  input: TABLES[name].input,
  entity: TABLES[name].entity as EntitySchema<Owned<KitThing>>,
}));
