import { DateTime } from 'luxon';
import { useState } from 'react';
import { View } from 'react-native';
import type { LightRound } from '@tawny/contract';
import { useSave } from '../../data/queries';
import { clockSeconds, instantAt } from '../../data/time';
import { Action } from '../../ui/Action';
import { Fold } from '../../ui/Fold';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { PickerField } from '../../ui/PickerField';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

/** Where a round's time comes from, in words. */
export function timeWords(round: Pick<LightRound, 'shotAtFrom' | 'shotAtSource'>): string {
  if (round.shotAtFrom === 'planned') return 'planned; the frames will tell it';
  return round.shotAtFrom === 'files' ? `from ${round.shotAtSource}` : 'entered by hand, ± 1 min';
}

/** When the round was shot and how that is known; it can be set right by hand, or given back to the files. */
export function RoundTime({ round, zone }: { round: LightRound; zone: string }) {
  const local = DateTime.fromISO(round.shotAt, { zone });
  const [date, setDate] = useState(local.toISODate()!);
  const [time, setTime] = useState(local.toFormat('HH:mm'));
  const save = useSave<LightRound>('rounds');
  const entered = instantAt(date, time, zone);
  return (
    <View style={{ gap: SPACE(1) }}>
      <Text tone="quietInk" testID="round-time">{`${clockSeconds(round.shotAt, zone)} · ${timeWords(round)}`}</Text>
      <Fold title="Correct the time" summary="By hand, when the files are wrong">
        <Row wrap style={{ alignItems: 'flex-end' }}>
          <PickerField kind="date" label="Date of the round" value={date} onChange={setDate} />
          <PickerField kind="time" label="Time of the round" value={time} onChange={setTime} />
        </Row>
        {save.error ? <Notice state="lost" title="The time was not saved" detail={save.error.message} /> : null}
        <Row wrap>
          <Action
            title="Set this time"
            disabled={!entered}
            busy={save.isPending}
            onPress={() =>
              save.mutate({
                record: round,
                change: { shotAt: entered!.toISOString(), shotAtFrom: 'entered' },
              })
            }
          />
          {round.shotAtFrom === 'entered' ? (
            <Action
              title="As the frames say"
              busy={save.isPending}
              onPress={() => save.mutate({ record: round, change: { shotAtFrom: 'files' } })}
            />
          ) : null}
        </Row>
        <Text size="small" tone="quietInk">
          Better than a time by hand: photograph an exact clock with the rig, and enter what its clock is off by under
          Day, place.
        </Text>
      </Fold>
    </View>
  );
}
