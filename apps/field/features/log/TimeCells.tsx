import type { TakeInput } from '@tawny/contract';
import { takeTimeFrom } from '@tawny/contract/takeRules';
import { clockSeconds } from '../../data/time';
import { Text } from '../../ui/Text';
import { InstantCells } from './InstantCells';

/** A draft that has no time yet and runs now gets it when it is saved. */
const AT_SAVING = 'now, when it is saved';

/** When a take ran and how that is known, in one line. */
export const timeOfTakeWords = (take: TakeInput, zone: string, atSaving: boolean): string =>
  atSaving && take.shotAtFrom === 'assumed'
    ? AT_SAVING
    : `${clockSeconds(take.shotAt, zone)}, ${takeTimeFrom(take).words}`;

/** When the take ran, by hand: for what is logged from paper, or was not logged as it happened. */
export function TimeCells({
  take,
  change,
  zone,
  atSaving,
}: {
  take: TakeInput;
  change: (part: Partial<TakeInput>) => void;
  zone: string;
  atSaving: boolean;
}) {
  return (
    <>
      <InstantCells of="the take" at={take.shotAt} zone={zone} onChange={(shotAt) => change({ shotAt })} />
      <Text size="small" tone="quietInk">
        {`${timeOfTakeWords(take, zone, atSaving)}. Where the sun stood at the take, and where its light is aimed, follow from it.`}
      </Text>
    </>
  );
}
