import { DateTime } from 'luxon';
import type { TakeInput } from '@tawny/contract';
import { takeTimeFrom } from '@tawny/contract/takeRules';
import { clockSeconds, instantAt } from '../../data/time';
import { Row } from '../../ui/Panel';
import { PickerField } from '../../ui/PickerField';
import { Text } from '../../ui/Text';

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
  const local = DateTime.fromISO(take.shotAt, { zone });
  const put = (date: string, time: string) => {
    const at = instantAt(date, time, zone);
    if (at) change({ shotAt: at.toISOString() });
  };
  return (
    <>
      <Row wrap style={{ alignItems: 'flex-end' }}>
        <PickerField
          kind="date"
          label="Date of the take"
          value={local.toISODate()!}
          onChange={(date) => put(date, local.toFormat('HH:mm'))}
        />
        <PickerField
          kind="time"
          label="Time of the take"
          value={local.toFormat('HH:mm')}
          onChange={(time) => put(local.toISODate()!, time)}
        />
      </Row>
      <Text size="small" tone="quietInk">
        {`${timeOfTakeWords(take, zone, atSaving)}. Where the sun stood at the take, and where its light is aimed, follow from it.`}
      </Text>
    </>
  );
}
