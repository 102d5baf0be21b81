import { router, usePathname } from 'expo-router';
import type { ReactNode } from 'react';
import { View } from 'react-native';
import { useDays, useProduction, useProductionCode, useSave, useSetups } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { BeginDay } from './BeginDay';
import { newSetup, type NewSetup } from './newSetup';

/** Every place but the kit is about a setup: while there is none, they all lead to the first. */
export function Beginning({ children }: { children: ReactNode }) {
  const place = usePathname().split('/')[2];
  const setups = useSetups();
  const days = useDays();
  if (place === 'kit' || place === 'setup' || !setups.data || !days.data || setups.data.length > 0)
    return <>{children}</>;
  const [newest] = days.data;
  return (
    <View style={{ gap: SPACE(4) }}>
      <Head />
      {newest ? <FirstSetup dayId={newest.id} number={newest.number} /> : <BeginDay last={undefined} />}
    </View>
  );
}

function Head() {
  const code = useProductionCode();
  const production = useProduction();
  return (
    <View style={{ gap: SPACE(2) }}>
      <Text size="title" strong heading={1}>
        {production.data?.title ?? ''}
      </Text>
      <Text tone="quietInk">
        A day and a place tell where the sun will be; a setup holds takes, rounds and what is still missing.
      </Text>
      <Row wrap>
        <Action title="Kit: bodies, lenses, rigs" onPress={() => router.push(`/${code}/kit` as never)} />
      </Row>
    </View>
  );
}

function FirstSetup({ dayId, number }: { dayId: string; number: number }) {
  const code = useProductionCode();
  const make = useSave<NewSetup>('setups');
  return (
    <Panel title={`Day ${number} has no setup yet`}>
      {make.error ? <Notice state="lost" title="The setup was not made" detail={make.error.message} /> : null}
      <Row>
        <Action
          kind="main"
          title="Make the first setup"
          busy={make.isPending}
          onPress={() =>
            make.mutate(
              { record: newSetup(dayId, undefined) },
              { onSuccess: (s) => router.push(`/${code}/setup/${s.id}` as never) },
            )
          }
        />
      </Row>
    </Panel>
  );
}
