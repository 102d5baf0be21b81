import { NEEDS_OF_KIND, setupInput, type Setup } from '@tawny/contract';
import { Setups } from '../db/entities';
import type { Handlers } from '../http/handler';
import { writtenHandlers } from '../records/recordHandlers';
import { settleRounds } from '../rounds/roundTime';

const written = writtenHandlers<'setups', Setup>({
  entity: Setups,
  noun: 'setup',
  input: setupInput,
  order: { by: ['slate'], direction: 'ASC' },
  // A new setup without a list gets the template of its kind.
  complete: (s) => (s.needs.length === 0 ? { ...s, needs: [...NEEDS_OF_KIND[s.kind]] } : s),
});

/** Setups: one that is moved to another day takes its rounds to that day's clocks. */
export const setupOperations: Handlers<'setups'> = {
  ...written,
  change: async (context) => {
    const setup = (await written.change(context)) as Setup;
    if (context.body.dayId !== undefined) await settleRounds(context.tx, context.production.id, { setupId: setup.id });
    return setup;
  },
};
