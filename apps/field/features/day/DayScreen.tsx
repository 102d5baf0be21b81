import { router } from 'expo-router';
import { useEffect, useMemo, useState } from 'react';
import { Pressable, View } from 'react-native';
import { stickShadow, sunDay, sunPosition, type SunDay } from '@tawny/core';
import type { Location, Setup, SetupGaps, ShootDay } from '@tawny/contract';
import { useAllRounds, useAllTakes, useGaps, useProductionCode } from '../../data/queries';
import { useSetup } from '../../data/setup';
import { clock, clockShort, dayBounds, longDate } from '../../data/time';
import { Action } from '../../ui/Action';
import { Panel, Reading, Row } from '../../ui/Panel';
import { StateMark, StateShape } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { useTheme, useWide } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { Waiting } from '../shell/Waiting';
import { LightLine, type LightMark } from './LightLine';

/** Where the sun is, what is logged, what is still missing. */
export function DayScreen() {
  const { setup, day, location, setups, error } = useSetup();
  const gaps = useGaps();
  const wide = useWide();
  if (!setup || !day || !location) return <Waiting error={error} what="the shoot day" />;
  return (
    <View style={{ gap: SPACE(4) }}>
      <View>
        <Text size="title" strong heading={1}>
          {longDate(day.date, location.zone)}
        </Text>
        <Text tone="quietInk">{`Day ${day.number} · ${day.unit} · ${location.name} · call ${day.callLocal}, wrap ${day.wrapLocal}`}</Text>
      </View>
      <LightPanel day={day} location={location} setup={setup} />
      <Text size="large" strong heading={2}>
        Setups and what they lack
      </Text>
      <View style={wide ? { flexDirection: 'row', flexWrap: 'wrap', gap: SPACE(4) } : { gap: SPACE(3) }}>
        {setups.map((s) => (
          <SetupRow key={s.id} setup={s} gaps={gaps.data?.find((g) => g.setupId === s.id)} zone={location.zone} wide={wide} />
        ))}
      </View>
    </View>
  );
}

const MARGIN_MS = 90 * 60000;

/** The part of the day worth drawing: an hour and a half more than the sun is up. */
function daylight({ curve, rise, set }: SunDay): SunDay['curve'] {
  const from = rise ? rise.getTime() - MARGIN_MS : -Infinity;
  const to = set ? set.getTime() + MARGIN_MS : Infinity;
  const part = curve.filter((p) => p.utc.getTime() >= from && p.utc.getTime() <= to);
  return part.length > 2 ? part : curve;
}

/** The light line with what it answers at the asked time. */
function LightPanel({ day, location, setup }: { day: ShootDay; location: Location; setup: Setup }) {
  const takes = useAllTakes();
  const rounds = useAllRounds();
  const [now, setNow] = useState(() => new Date());
  useEffect(() => {
    const timer = setInterval(() => setNow(new Date()), 60000);
    return () => clearInterval(timer);
  }, []);
  const bounds = useMemo(() => dayBounds(day.date, location.zone), [day.date, location.zone]);
  const sun = useMemo(() => sunDay(location, bounds.start, bounds.end, 10), [location, bounds]);
  const curve = useMemo(() => daylight(sun), [sun]);
  const [asked, setAsked] = useState<Date>(() => (setup.lightAt ? new Date(setup.lightAt) : sun.transit));
  const marks = useMemo<LightMark[]>(
    () => [
      ...(takes.data ?? []).map((t) => ({ at: new Date(t.shotAt), kind: 'take' as const, label: `${t.slate} take ${t.take}` })),
      ...(rounds.data ?? []).map((r) => ({ at: new Date(r.shotAt), kind: 'round' as const, label: r.name })),
    ],
    [takes.data, rounds.data],
  );
  const at = sunPosition(location, asked);
  const shadow = stickShadow(at, 1);
  return (
    <Panel>
      <Row wrap gap={5} style={{ justifyContent: 'space-between' }}>
        <Reading label="Asked time">
          <Figure value={clockShort(asked, location.zone)} unit={clock(asked, location.zone).split(' ')[1]} size="figure" testID="asked-time" />
        </Reading>
        <Reading label="Sun elevation">
          <Figure value={at.elevationDeg.toFixed(1)} unit="°" size="figure" testID="asked-elevation" />
        </Reading>
        <Reading label="Azimuth">
          <Figure value={at.azimuthDeg.toFixed(1)} unit="°" />
        </Reading>
        <Reading label="Shadow of 1 m">
          {shadow ? <Figure value={shadow.lengthM > 99 ? '>99' : shadow.lengthM.toFixed(2)} unit={`m to ${shadow.azimuthDeg.toFixed(0)}°`} /> : <Text>sun is down</Text>}
        </Reading>
      </Row>
      <LightLine curve={curve} zone={location.zone} marks={marks} now={now} asked={asked} onAsk={setAsked} />
      <Text size="small" tone="quietInk">
        {`Sunrise ${sun.rise ? clock(sun.rise, location.zone) : 'none'} · highest ${clock(sun.transit, location.zone)} · sunset ${sun.set ? clock(sun.set, location.zone) : 'none'} · ticks are takes, pins are rounds`}
      </Text>
    </Panel>
  );
}

const GO: Record<SetupGaps['lacks'][number]['place'], string> = { log: 'Log a take', round: 'Go to the round', measure: 'Measure', handoff: 'Hand off' };

function SetupRow({ setup, gaps, zone, wide }: { setup: Setup; gaps: SetupGaps | undefined; zone: string; wide: boolean }) {
  const code = useProductionCode();
  const { palette } = useTheme();
  const first = gaps?.lacks[0];
  const status = !gaps ? 'Looking ...' : gaps.lacks.length === 0 ? 'Complete' : `Lacks ${gaps.lacks.map((l) => l.what).join(', ')}`;
  const open = (place: string) => router.push(`/${code}/${place}?setup=${setup.id}`);
  return (
    <Panel style={wide ? { flexBasis: 320, flexGrow: 1 } : undefined}>
      <Pressable role="link" aria-label={`Open ${setup.name}`} onPress={() => open('log')} style={{ gap: SPACE(1), minHeight: 44 }}>
        <Row style={{ justifyContent: 'space-between' }}>
          <Text size="large" strong heading={3} style={{ flexShrink: 1 }}>
            {setup.name}
          </Text>
          <Figure value={setup.slate} size="large" />
        </Row>
        <Text size="small" tone="quietInk">
          {`${setup.kind} · ${setup.lightCondition}${setup.lightAt ? ` · light wanted ${clock(setup.lightAt, zone)}` : ''}`}
        </Text>
      </Pressable>
      <Row gap={2} style={{ alignItems: 'flex-start', borderTopWidth: 1, borderColor: palette.hairline, paddingTop: SPACE(3) }}>
        {gaps && gaps.lacks.length === 0 ? (
          <StateMark state="complete" word="Complete" />
        ) : (
          <>
            <View style={{ paddingTop: 4 }}>
              <StateShape state={first?.place === 'round' ? 'lost' : 'doubtful'} />
            </View>
            <Text style={{ flex: 1 }}>{status}</Text>
          </>
        )}
      </Row>
      {first ? <Action kind={first.place === 'round' ? 'main' : 'quiet'} title={GO[first.place]} onPress={() => open(first.place)} /> : null}
    </Panel>
  );
}
