import { router } from 'expo-router';
import { DateTime } from 'luxon';
import { useEffect, useLayoutEffect, useState } from 'react';
import { View } from 'react-native';
import { releaseCalls } from '../../data/api';
import { dropLastSeen, keepLastSeen } from '../../data/lastSeen';
import { useGaps, useProductionCode } from '../../data/queries';
import { useSetup } from '../../data/setup';
import { longDate } from '../../data/time';
import { Action } from '../../ui/Action';
import { Columns } from '../../ui/Columns';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { Waiting } from '../shell/Waiting';
import { GapList } from './GapList';
import { LightPanel } from './LightPanel';
import { SetupList } from './SetupList';

/** So long after its last change a screen stands still. */
const STILL_MS = 1500;

/** Where the sun is, what is logged, what is still missing. */
export function DayScreen() {
  const { setup, day, location, setups, error } = useSetup();
  const gaps = useGaps();
  const code = useProductionCode();
  const [planned, setPlanned] = useState<string | null>(null);
  useEffect(releaseCalls, []);
  const there = Boolean(error || gaps.error || (setup && day && location && gaps.data));
  useLayoutEffect(() => {
    if (there) dropLastSeen();
  }, [there]);
  // Once it stands still, this is what the device shows first the next time.
  useEffect(() => {
    if (!gaps.data || planned) return;
    const timer = setTimeout(() => keepLastSeen(localStorage), STILL_MS);
    return () => clearTimeout(timer);
  });
  if (!setup || !day || !location) return <Waiting error={error} what="the shoot day" />;
  const date = planned ?? day.date;
  const move = (days: number) => setPlanned(DateTime.fromISO(date).plus({ days }).toISODate());
  const lists = (gaps.data ?? []).filter((g) => setups.some((s) => s.id === g.setupId));
  return (
    <View style={{ gap: SPACE(4) }}>
      <Row wrap style={{ justifyContent: 'space-between' }}>
        <View style={{ flexShrink: 1 }}>
          <Text size="title" strong heading={1}>
            {longDate(date, location.zone)}
          </Text>
          <Text tone="quietInk">
            {planned && planned !== day.date
              ? `Planning: the shoot day is ${longDate(day.date, location.zone)}`
              : `Day ${day.number} · ${day.unit} · ${location.name} · call ${day.callLocal}, wrap ${day.wrapLocal}`}
          </Text>
          {day.weather && date === day.date ? (
            <Text size="small" tone="quietInk">
              {day.weather}
            </Text>
          ) : null}
        </View>
        <Row gap={2}>
          <Action title="‹ Day" onPress={() => move(-1)} />
          {date === day.date ? null : <Action title="Shoot day" onPress={() => setPlanned(null)} />}
          <Action title="Day ›" onPress={() => move(1)} />
          <Action title="Day, place" onPress={() => router.push(`/${code}/place?setup=${setup.id}` as never)} />
        </Row>
      </Row>
      <LightPanel key={date} date={date} location={location} setup={setup} onDay={date === day.date} />
      <Columns
        shares={[3, 2]}
        left={
          gaps.data ? (
            <GapList gaps={lists.flatMap((l) => l.gaps)} setups={setups} zone={location.zone} />
          ) : (
            <Waiting error={gaps.error} what="the gap list" />
          )
        }
        right={<SetupList day={day} setups={setups} chosen={setup} gaps={lists} zone={location.zone} />}
      />
    </View>
  );
}
