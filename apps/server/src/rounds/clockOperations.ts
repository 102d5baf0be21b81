import { cameraClockInput, type CameraClock } from '@tawny/contract';
import { CameraClocks } from '../db/entities';
import type { Handlers } from '../http/handler';
import { writtenHandlers } from '../records/recordHandlers';
import { settleDay } from './roundTime';

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
  change: async (context) => settled(context, (await written.change(context)) as CameraClock),
  remove: async (context) => settled(context, (await written.remove(context)) as CameraClock),
  restore: async (context) => settled(context, (await written.restore(context)) as CameraClock),
};

async function settled(
  { tx, production }: { tx: Parameters<typeof settleDay>[0]; production: { id: string } },
  clock: CameraClock,
): Promise<CameraClock> {
  await settleDay(tx, production.id, clock.dayId);
  return clock;
}
