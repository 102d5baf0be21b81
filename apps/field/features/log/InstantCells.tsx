import { DateTime } from 'luxon';
import { instantAt } from '@tawny/contract/dayHours';
import { Row } from '../../ui/Panel';
import { PickerField } from '../../ui/PickerField';

/** An instant by hand, as date and hour of the clock where it was; what is no hour changes nothing. */
export function InstantCells({
  of,
  at,
  zone,
  onChange,
}: {
  /** Whose instant it is: "the take". */
  of: string;
  at: string;
  zone: string;
  onChange: (at: string) => void;
}) {
  const local = DateTime.fromISO(at, { zone });
  const put = (date: string, time: string) => {
    const instant = instantAt(date, time, zone);
    if (instant) onChange(instant.toISOString());
  };
  return (
    <Row wrap style={{ alignItems: 'flex-end' }}>
      <PickerField
        kind="date"
        label={`Date of ${of}`}
        value={local.toISODate()!}
        onChange={(date) => put(date, local.toFormat('HH:mm'))}
      />
      <PickerField
        kind="time"
        label={`Time of ${of}`}
        value={local.toFormat('HH:mm')}
        onChange={(time) => put(local.toISODate()!, time)}
      />
    </Row>
  );
}
