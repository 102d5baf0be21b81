import { useState } from 'react';
import { View } from 'react-native';
import type { LightRound } from '@tawny/contract';
import { useSave } from '../../data/queries';
import { clockSeconds } from '../../data/time';
import { Action } from '../../ui/Action';
import { Fold } from '../../ui/Fold';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { InstantCells } from '../log/InstantCells';

/** Where a round's time comes from, in words. */
export function timeWords(round: Pick<LightRound, 'shotAtFrom' | 'shotAtSource'>): string {
  if (round.shotAtFrom === 'planned') return 'planned; the frames will tell it';
  return round.shotAtFrom === 'files' ? `from ${round.shotAtSource}` : 'entered by hand, ± 1 min';
}

/** When the round was shot and how that is known; it can be set right by hand, or given back to the files. */
export function RoundTime({ round, zone }: { round: LightRound; zone: string }) {
  const [at, setAt] = useState(round.shotAt);
  const save = useSave<LightRound>('rounds');
  return (
    <View style={{ gap: SPACE(1) }}>
      <Text tone="quietInk" testID="round-time">{`${clockSeconds(round.shotAt, zone)} · ${timeWords(round)}`}</Text>
      <Fold title="Correct the time" summary="By hand, when the files are wrong">
        <InstantCells of="the round" at={at} zone={zone} onChange={setAt} />
        {save.error ? <Notice state="lost" title="The time was not saved" detail={save.error.message} /> : null}
        <Row wrap>
          <Action
            title="Set this time"
            busy={save.isPending}
            onPress={() =>
              save.mutate({
                record: round,
                change: { shotAt: at, shotAtFrom: 'entered' },
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
