import { router } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import type { Setup, SetupGaps, ShootDay } from '@tawny/contract';
import { useProductionCode, useSave } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { newSetup, type NewSetup } from './newSetup';
import { SetupRow } from './SetupRow';

const SHOWN = 6;

interface SetupListProps {
  day: ShootDay;
  /** Of this day, in the order of their slates. */
  setups: readonly Setup[];
  chosen: Setup;
  gaps: readonly SetupGaps[];
  zone: string;
}

/** The setups of a day, the chosen one always among those shown, and the way to a new one. */
export function SetupList({ day, setups, chosen, gaps, zone }: SetupListProps) {
  const code = useProductionCode();
  const make = useSave<NewSetup>('setups');
  const [all, setAll] = useState(false);
  const shown = all ? setups : setups.filter((s, i) => i < SHOWN || s.id === chosen.id);
  return (
    <View style={{ gap: SPACE(3) }}>
      <Row style={{ justifyContent: 'space-between' }}>
        <Text size="large" strong heading={2}>
          Setups
        </Text>
        <Action
          title="New setup"
          busy={make.isPending}
          onPress={() =>
            make.mutate(
              { record: newSetup(day.id, setups[setups.length - 1]) },
              { onSuccess: (s) => router.push(`/${code}/setup/${s.id}` as never) },
            )
          }
        />
      </Row>
      {make.error ? <Notice state="lost" title="The setup was not made" detail={make.error.message} /> : null}
      {shown.map((s) => (
        <SetupRow key={s.id} setup={s} gaps={gaps.find((g) => g.setupId === s.id)} zone={zone} />
      ))}
      {shown.length < setups.length ? (
        <Row>
          <Action title={`All ${setups.length} setups`} onPress={() => setAll(true)} />
        </Row>
      ) : null}
    </View>
  );
}
