import { cameraClockInput, type CameraClock } from '@tawny/contract';
import { CameraClocks } from '../db/entities';
import type { Context, Handlers } from '../http/handler';
import { findOwned } from '../records/find';
import { writtenHandlers } from '../records/recordHandlers';
import { settleRounds } from './roundTime';

const written = writtenHandlers<'clocks', CameraClock>({
  entity: CameraClocks,
  noun: 'camera clock',
  input: cameraClockInput,
  order: { by: ['camera'], direction: 'ASC' },
});

/** Camera clocks: whatever is found out of one moves the rounds that were photographed by it. */
export const clockOperations: Handlers<'clocks'> = {
  ...written,
  create: async (context) => settled(context, (await written.create(context)) as CameraClock),
  change: async (context) => {
    const before = await findOwned(context.tx, CameraClocks, context.production.id, context.params.id, 'camera clock');
    const clock = await settled(context, (await written.change(context)) as CameraClock);
    if (before.dayId !== clock.dayId) await settled(context, before);
    return clock;
  },
  remove: async (context) => settled(context, (await written.remove(context)) as CameraClock),
  restore: async (context) => settled(context, (await written.restore(context)) as CameraClock),
};

async function settled<C extends CameraClock>(
  { tx, production }: Pick<Context<'clocks.get'>, 'tx' | 'production'>,
  clock: C,
): Promise<C> {
  await settleRounds(tx, production.id, { dayId: clock.dayId });
  return clock;
}
