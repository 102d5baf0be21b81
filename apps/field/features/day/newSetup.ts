import type { Setup } from '@tawny/contract';
import { nextSlate } from '@tawny/contract/takeRules';

/** What a new setup needs to be stored; the rest has defaults. */
export type NewSetup = Pick<
  Setup,
  'id' | 'dayId' | 'name' | 'slate' | 'kind' | 'lightCondition' | 'plannedCg' | 'lightAt'
> & { version?: number };

/** A setup like its neighbour, one slate on. */
export function newSetup(dayId: string, like: Setup | undefined): NewSetup {
  return {
    id: crypto.randomUUID(),
    dayId,
    name: 'New setup',
    slate: like ? nextSlate(like.slate) : '1',
    kind: like?.kind ?? 'exterior',
    lightCondition: like?.lightCondition ?? 'sun out',
    plannedCg: '',
    lightAt: like?.lightAt ?? null,
  };
}
