import { router } from 'expo-router';
import { View } from 'react-native';
import { arcDeg, sunPosition } from '@tawny/core';
import type { LightRound, Location, Take } from '@tawny/contract';
import { useAllRounds, useBodies, useLenses, useProductionCode, useStations, useTakes } from '../../data/queries';
import { useSetup } from '../../data/setup';
import { clock } from '../../data/time';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Panel, Reading, Row } from '../../ui/Panel';
import { StateMark, type StateName } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { useTheme, useWide } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { SetupBar } from '../shell/SetupBar';
import { Waiting } from '../shell/Waiting';

export const STATUS_WORDS: Record<Take['status'], { state: StateName; word: string }> = {
  circled: { state: 'complete', word: 'Circled' },
  good: { state: 'open', word: 'Good' },
  ng: { state: 'lost', word: 'No good' },
  wild: { state: 'doubtful', word: 'Wild' },
};

/** The takes of a setup, newest first. */
export function LogScreen() {
  const { setup, location, setups, error, choose } = useSetup();
  const code = useProductionCode();
  const takes = useTakes(setup?.id);
  const wide = useWide();
  if (!setup || !location) return <Waiting error={error} what="the setup" />;
  const newest = takes.data?.[0];
  return (
    <View style={{ gap: SPACE(4) }}>
      <SetupBar setups={setups} chosen={setup.id} onChoose={choose} />
      <Row wrap style={{ justifyContent: 'space-between' }}>
        <Text size="title" strong heading={1}>
          {setup.name}
        </Text>
        <Action kind="main" title={newest ? `Next take: ${newest.slate} / ${newest.take + 1}` : 'Log the first take'} onPress={() => router.push(`/${code}/log/new?setup=${setup.id}`)} />
      </Row>
      {takes.data?.length === 0 ? (
        <Notice state="open" title="No take is logged for this setup" detail="Log the first one when the camera cuts. Every later take starts as a copy of the one before." />
      ) : null}
      {takes.data ? wide ? <TakeTable takes={takes.data} location={location} setupId={setup.id} /> : takes.data.map((t) => <TakeCard key={t.id} take={t} location={location} />) : <Waiting error={takes.error} what="the takes" />}
    </View>
  );
}

function TakeCard({ take, location }: { take: Take; location: Location }) {
  const lens = useLenses().data?.find((l) => l.id === take.lensId);
  const sun = sunPosition(location, new Date(take.shotAt));
  const mark = STATUS_WORDS[take.status];
  return (
    <Panel>
      <Row style={{ justifyContent: 'space-between' }}>
        <Figure value={`${take.slate} / ${take.take}`} unit={`camera ${take.camera}`} />
        <StateMark state={mark.state} word={mark.word} />
      </Row>
      <Row wrap gap={4}>
        <Reading label="Lens">
          <Figure value={`${take.focalLengthMm}`} unit="mm" size="large" />
        </Reading>
        <Reading label="Stop">
          <Figure value={`T${take.tStop}`} size="large" />
        </Reading>
        <Reading label="EI">
          <Figure value={`${take.ei}`} size="large" />
        </Reading>
        <Reading label="ND">
          <Figure value={`${take.ndStops}`} unit="stops" size="large" />
        </Reading>
        <Reading label="Shutter">
          <Figure value={`${take.shutterAngleDeg}`} unit={`° at ${take.fps} fps`} size="large" />
        </Reading>
        <Reading label="Sun at the take">
          <Figure value={`${sun.azimuthDeg.toFixed(1)}`} unit={`° az, ${sun.elevationDeg.toFixed(1)}° el`} size="large" />
        </Reading>
      </Row>
      <Text size="small" tone="quietInk">{`${clock(take.shotAt, location.zone)} · ${lens?.name ?? 'unknown lens'} · heading ${take.headingDeg}°, tilt ${take.tiltDeg}°, height ${take.heightM} m`}</Text>
    </Panel>
  );
}

/** Sun drift of each take against the newest round of the setup, degrees of arc. */
function drift(take: Take, round: LightRound | undefined, location: Location): string {
  if (!round) return 'no round';
  return `${arcDeg(sunPosition(location, new Date(take.shotAt)).direction, sunPosition(location, new Date(round.shotAt)).direction).toFixed(2)}°`;
}

/** The same takes as a table on a wide screen. */
function TakeTable({ takes, location, setupId }: { takes: Take[]; location: Location; setupId: string }) {
  const { palette } = useTheme();
  const lenses = useLenses();
  const bodies = useBodies();
  const stations = useStations(setupId);
  const rounds = useAllRounds();
  const round = rounds.data?.find((r) => stations.data?.some((s) => s.id === r.stationId));
  const columns: [string, number, (t: Take) => string][] = [
    ['Slate / take', 1.3, (t) => `${t.slate} / ${t.take} ${t.camera}`],
    ['Time', 1.2, (t) => clock(t.shotAt, location.zone)],
    ['Body', 1.2, (t) => bodies.data?.find((b) => b.id === t.bodyId)?.name ?? ''],
    ['Lens', 1.7, (t) => lenses.data?.find((l) => l.id === t.lensId)?.name ?? ''],
    ['Focal', 0.9, (t) => `${t.focalLengthMm} mm`],
    ['Stop', 0.7, (t) => `T${t.tStop}`],
    ['EI', 0.6, (t) => String(t.ei)],
    ['ND', 0.9, (t) => `${t.ndStops} stops`],
    ['Heading', 0.9, (t) => `${t.headingDeg}°`],
    ['Sun el.', 0.8, (t) => `${sunPosition(location, new Date(t.shotAt)).elevationDeg.toFixed(1)}°`],
    ['Sun drift', 0.9, (t) => drift(t, round, location)],
  ];
  return (
    <Panel style={{ padding: 0 }}>
      <View role="table" aria-label="Takes">
        <View role="row" style={{ flexDirection: 'row', paddingHorizontal: SPACE(3), minHeight: 40, alignItems: 'center', borderBottomWidth: 1, borderColor: palette.hairline }}>
          {columns.map(([name, flex]) => (
            <View key={name} role="columnheader" style={{ flex }}>
              <Text size="small" tone="quietInk">{name}</Text>
            </View>
          ))}
          <View role="columnheader" style={{ flex: 1 }}>
            <Text size="small" tone="quietInk">Status</Text>
          </View>
        </View>
        {takes.map((t) => (
          <View key={t.id} role="row" style={{ flexDirection: 'row', paddingHorizontal: SPACE(3), minHeight: 48, alignItems: 'center', borderBottomWidth: 1, borderColor: palette.hairline }}>
            {columns.map(([name, flex, show]) => (
              <View key={name} role="cell" style={{ flex }}>
                <Figure value={show(t)} size="body" />
              </View>
            ))}
            <View role="cell" style={{ flex: 1 }}>
              <StateMark {...STATUS_WORDS[t.status]} />
            </View>
          </View>
        ))}
      </View>
    </Panel>
  );
}
