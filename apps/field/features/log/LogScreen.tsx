import { router, useLocalSearchParams } from 'expo-router';
import { useState } from 'react';
import { Pressable, View } from 'react-native';
import { sunPosition } from '@tawny/core/sun/ephemeris';
import type { Location, Take } from '@tawny/contract';
import {
  useAllRounds,
  useBodies,
  useLenses,
  useProductionCode,
  useRemove,
  useStations,
  useTakePages,
} from '../../data/queries';
import { useSetup } from '../../data/setup';
import { clockOfTake } from '../../data/time';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { NotRemoved } from '../../ui/NotRemoved';
import { Panel, Reading, Row } from '../../ui/Panel';
import { StateMark, type StateName } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { useWide } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { SetupBar } from '../shell/SetupBar';
import { Waiting } from '../shell/Waiting';
import { nextNumber } from './takeDrafts';
import { TakeTable } from './TakeTable';

const STATUS_WORDS: Record<Take['status'], { state: StateName; word: string }> = {
  circled: { state: 'complete', word: 'Circled' },
  good: { state: 'open', word: 'Good' },
  ng: { state: 'lost', word: 'No good' },
  wild: { state: 'doubtful', word: 'Wild' },
};

/** The takes of a setup, newest first. */
export function LogScreen() {
  const { setup, location, setups, error, choose } = useSetup();
  const { removed } = useLocalSearchParams<{ removed?: string }>();
  const code = useProductionCode();
  const { takes, error: unread, more, readMore } = useTakePages(setup?.id);
  const removal = useRemove('takes');
  const wide = useWide();
  if (!setup || !location) return <Waiting error={error} what="the setup" />;
  const newest = takes?.[0];
  const go = (path: string) => router.push(`/${code}/log/${path}?setup=${setup.id}` as never);
  return (
    <View style={{ gap: SPACE(4) }}>
      <SetupBar setups={setups} chosen={setup.id} onChoose={choose} />
      <Row wrap style={{ justifyContent: 'space-between' }}>
        <Text size="title" strong heading={1}>
          {setup.name}
        </Text>
        <Action
          kind="main"
          grow
          title={newest && takes ? `Next take: ${newest.slate} / ${nextNumber(takes)}` : 'Log the first take'}
          onPress={() => go('new')}
        />
      </Row>
      <Row wrap gap={2}>
        <Action title="Set records" onPress={() => go('records')} />
        <Action title="Plan" onPress={() => go('plan')} />
        <Action title="Import, export" onPress={() => go('exchange')} />
      </Row>
      {removed ? (
        <Notice state="open" title="The take was removed">
          <Row>
            <Action
              title="Take it back"
              onPress={() => removal.restore(removed, { onSuccess: () => router.setParams({ removed: undefined }) })}
            />
          </Row>
        </Notice>
      ) : null}
      <NotRemoved error={removal.error} />
      {takes && unread ? <Notice state="lost" title="Older takes could not be read" detail={unread.message} /> : null}
      {takes?.length === 0 ? (
        <Notice
          state="open"
          title="No take is logged for this setup"
          detail="Log the first one when the camera cuts. Every later take starts as a copy of the one before."
        />
      ) : null}
      {!takes ? (
        <Waiting error={unread} what="the takes" />
      ) : wide ? (
        <WideTakes takes={takes} more={more} onMore={readMore} location={location} setupId={setup.id} />
      ) : (
        <TakeCards key={setup.id} takes={takes} more={more} onMore={readMore} location={location} setupId={setup.id} />
      )}
    </View>
  );
}

interface TakesProps {
  takes: Take[];
  /** The server has older ones. */
  more: boolean;
  onMore: () => void;
  location: Location;
  setupId: string;
}

const CARDS = 20;

/** As many cards as a thumb scrolls through, older ones on demand. */
function TakeCards({ takes, more, onMore, location, setupId }: TakesProps) {
  const [shown, setShown] = useState(CARDS);
  const older = () => {
    setShown(shown + CARDS);
    if (shown + 2 * CARDS > takes.length) onMore();
  };
  return (
    <>
      {takes.slice(0, shown).map((t) => (
        <TakeCard key={t.id} take={t} location={location} setupId={setupId} />
      ))}
      {more || takes.length > shown ? <Action title="Show older takes" onPress={older} /> : null}
    </>
  );
}

function WideTakes({ takes, more, onMore, location, setupId }: TakesProps) {
  const lenses = useLenses();
  const bodies = useBodies();
  const stations = useStations(setupId);
  const rounds = useAllRounds();
  if (!lenses.data || !bodies.data) return <Waiting error={lenses.error ?? bodies.error} what="the kit" />;
  if (takes.length === 0) return null;
  return (
    <TakeTable
      takes={takes}
      more={more}
      onMore={onMore}
      setupId={setupId}
      location={location}
      bodies={bodies.data}
      lenses={lenses.data}
      round={rounds.data?.find((r) => stations.data?.some((s) => s.id === r.stationId))}
    />
  );
}

function TakeCard({ take, location, setupId }: { take: Take; location: Location; setupId: string }) {
  const code = useProductionCode();
  const lens = useLenses().data?.find((l) => l.id === take.lensId);
  const sun = sunPosition(location, new Date(take.shotAt));
  const mark = STATUS_WORDS[take.status];
  const known = (v: number | null, unit: string) => (v === null ? 'not measured' : `${v}${unit}`);
  return (
    <Pressable
      role="link"
      aria-label={`Open ${take.slate} take ${take.take} camera ${take.camera}`}
      onPress={() => router.push(`/${code}/log/new?setup=${setupId}&take=${take.id}`)}
    >
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
            <Figure
              value={`${sun.azimuthDeg.toFixed(1)}`}
              unit={`° az, ${sun.elevationDeg.toFixed(1)}° el`}
              size="large"
            />
          </Reading>
        </Row>
        <Text
          size="small"
          tone="quietInk"
        >{`${clockOfTake(take, location.zone)} · ${lens?.name ?? 'unknown lens'} · ${take.lightCondition} · heading ${known(take.headingDeg, '°')}, tilt ${known(take.tiltDeg, '°')}, height ${known(take.heightM, ' m')}`}</Text>
      </Panel>
    </Pressable>
  );
}
