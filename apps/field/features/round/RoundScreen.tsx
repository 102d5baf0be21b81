import { useLocalSearchParams, router } from 'expo-router';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { View } from 'react-native';
import type { GroupingResult, Job, LightRound, Location, Panorama, Setup } from '@tawny/contract';
import {
  useCalibration,
  useGrouping,
  useJob,
  useOperation,
  usePanoramas,
  useProductionCode,
  useRound,
  useStation,
  stageOf,
} from '../../data/queries';
import { useSetup } from '../../data/setup';
import { Action } from '../../ui/Action';
import { Columns } from '../../ui/Columns';
import { Fold } from '../../ui/Fold';
import { intoView } from '../../ui/intoView';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { PanoramaStrip } from '../../ui/panorama/PanoramaStrip';
import { Progress } from '../../ui/Progress';
import { StateMark } from '../../ui/StateMark';
import { Text } from '../../ui/Text';
import { useWide } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { Waiting } from '../shell/Waiting';
import { AddFrames } from './AddFrames';
import { BracketPlanner } from './BracketPlanner';
import { BuildAction } from './BuildOptions';
import { CheckSheet } from './CheckSheet';
import type { Spot } from './ChosenAreas';
import { CompareVersions } from './CompareVersions';
import { ExposureLadder } from './ExposureLadder';
import { GroupingSheet } from './GroupingSheet';
import { shutterText } from './ladderMath';
import { RigLearned } from './RigLearned';
import { RoundTime } from './RoundTime';
import { ViewCheckList } from './ViewCheckList';
import { ViewsDial } from './ViewsDial';

/** In which frame a panorama lies. */
const FRAME_WORDS = { trueNorth: 'North-aligned', set: 'In the set frame', none: 'North not measured' } as const;

/** One round: frames in, ladder and dial, build, check sheet, panorama. */
export function RoundScreen() {
  const { round: id } = useLocalSearchParams<{ round: string }>();
  const round = useRound(id);
  const grouping = useGrouping(id);
  const panoramas = usePanoramas(id);
  const station = useStation(round.data?.stationId);
  const { setup, day, location, error } = useSetup(station.data?.setupId ?? null);
  const wide = useWide();
  const code = useProductionCode();
  const job = useJob(id);
  const [spot, setSpot] = useState<Spot | null>(null);
  if (!round.data || !grouping.data || !panoramas.data || !setup || !day || !location) {
    return (
      <Waiting error={round.error ?? grouping.error ?? panoramas.error ?? station.error ?? error} what="the round" />
    );
  }
  const panorama = panoramas.data[0];
  const hasFrames = grouping.data.views.length > 0;
  const active = job.data?.state === 'queued' || job.data?.state === 'running';
  const looking = active && job.data?.kind === 'checkViews';
  const busy = active && !looking;
  const told = job.data?.state === 'failed' || job.data?.state === 'cancelled';
  const dial = hasFrames ? (
    <ViewsDial round={round.data} grouping={grouping.data} panorama={panorama} location={location} date={day.date} />
  ) : null;
  const frames = (
    <>
      {active || told ? <JobPanel job={job.data!} /> : null}
      {!hasFrames && !busy ? <BracketPlanner round={round.data} setup={setup} location={location} /> : null}
      {!hasFrames && !busy ? <AddFrames round={round.data} setup={setup} /> : null}
      {hasFrames ? (
        <FramesPanel
          round={round.data}
          grouping={grouping.data}
          panorama={panorama}
          busy={busy}
          spot={spot}
          dial={wide ? null : dial}
        />
      ) : null}
    </>
  );
  return (
    <View style={{ gap: SPACE(4) }}>
      <Heading
        round={round.data}
        location={location}
        setup={setup}
        step={panorama ? 'built' : hasFrames ? 'frames' : 'empty'}
      />
      {panorama ? (
        <PanoramaPanel
          panorama={panorama}
          wide={wide}
          onProbe={setSpot}
          onMeasure={() => router.push(`/${code}/measure?setup=${setup.id}&panorama=${panorama.id}`)}
        />
      ) : null}
      <Columns
        left={frames}
        right={
          <>
            {panorama ? <CheckSheet panorama={panorama} /> : null}
            {wide && dial ? <Panel title="Where the views looked">{dial}</Panel> : null}
            {panorama ? <RigLearned round={round.data} panorama={panorama} /> : null}
          </>
        }
      />
      {panoramas.data.length > 1 ? <CompareVersions key={panorama.id} panoramas={panoramas.data} /> : null}
    </View>
  );
}

/** When the round comes a step further the page becomes another one, and begins at its head again. */
function Heading({
  round,
  location,
  setup,
  step,
}: {
  round: LightRound;
  location: Location;
  setup: Setup;
  step: 'empty' | 'frames' | 'built';
}) {
  const head = useRef<View>(null);
  const before = useRef(step);
  useEffect(() => {
    if (before.current !== step) intoView(head.current);
    before.current = step;
  }, [step]);
  return (
    <View ref={head}>
      <Text size="small" tone="quietInk">{`${setup.slate} ${setup.name}`}</Text>
      <Text size="title" strong heading={1}>{`${round.name}, ${round.lightCondition}`}</Text>
      <RoundTime key={`${round.version} ${round.shotAt}`} round={round} zone={location.zone} />
    </View>
  );
}

const JOB_WORDS: Partial<Record<Job['kind'], { doing: string; failed: string }>> = {
  build: { doing: 'Building', failed: 'The panorama was not built' },
  simulateRound: { doing: 'Photographing', failed: 'The frames were not made' },
  checkViews: { doing: 'Looking at the views', failed: 'The views could not be looked at' },
  importPanorama: { doing: 'Taking the panorama in', failed: 'The panorama was not taken in' },
};

function JobPanel({ job }: { job: Job }) {
  const cancel = useOperation('jobs.cancel', { id: job.id });
  if (job.state === 'failed') {
    return (
      <Notice
        testID="job-error"
        state="lost"
        title={JOB_WORDS[job.kind]?.failed ?? 'The work broke off'}
        detail={job.error?.message}
      />
    );
  }
  if (job.state === 'cancelled')
    return <Notice state="open" title="Cancelled" detail="Nothing was kept of it; the frames are as they were." />;
  return (
    <Panel title={JOB_WORDS[job.kind]?.doing ?? 'Working'}>
      <Progress stage={stageOf(job)} fraction={job.progress} onCancel={() => cancel.mutate({})} />
      {job.log.slice(-4).map((line, i) => (
        <Text key={i} size="small" tone="quietInk">
          {line}
        </Text>
      ))}
    </Panel>
  );
}

interface FramesPanelProps {
  round: LightRound;
  grouping: GroupingResult;
  panorama: Panorama | undefined;
  busy: boolean;
  spot: Spot | null;
  /** Where the views looked, when it stands among the frames. */
  dial: ReactNode;
}

function FramesPanel({ round, grouping, panorama, busy, spot, dial }: FramesPanelProps) {
  const calibration = useCalibration(panorama?.id);
  const total = grouping.views.reduce((n, v) => n + v.frames.length, 0);
  const first = grouping.views[0];
  const notes = [...grouping.notes, ...grouping.views.flatMap((v, i) => v.notes.map((n) => `View ${i + 1} ${n}`))];
  const yaw = calibration.data?.orientation?.adopted.value ?? null;
  return (
    <Panel
      title={`${total} frames in ${grouping.views.length} views`}
      aside={
        <StateMark
          state={grouping.certain ? 'complete' : 'doubtful'}
          word={grouping.certain ? 'Complete' : 'Look here'}
        />
      }
    >
      {notes.length > 0 ? (
        <Notice state="doubtful" title="Before building" detail={notes.join('. ')} testID="grouping-notes" />
      ) : null}
      <ViewCheckList round={round} grouping={grouping} built={panorama !== undefined} />
      {dial}
      <Text strong heading={3}>
        Exposure ladder of view 1
      </Text>
      <Text size="small" tone="quietInk">
        {panorama
          ? 'Stops of the panorama; the scene runs up the right side'
          : 'Stops; the scene appears at the side once it is built'}
      </Text>
      <ExposureLadder
        ev={first.frames.map((f) => -Math.log2(f.exposure))}
        bits={first.frames[0]?.bits ?? 8}
        histogram={panorama?.histogram}
        shutters={first.frames.map((f) => shutterText(f.shutterS))}
      />
      <Fold
        title="Frames by view"
        summary={
          round.manualViews
            ? 'Sorted by hand'
            : grouping.certain
              ? 'Sorted by their metadata'
              : 'Sorted by their metadata: look here'
        }
      >
        <GroupingSheet
          key={JSON.stringify(grouping.views.map((v) => v.frames.length))}
          round={round}
          grouping={grouping}
        />
      </Fold>
      <BuildAction
        key={panorama?.id ?? 'first'}
        roundId={round.id}
        panorama={panorama}
        views={grouping.views.length * (round.rig.twoCircles ? 2 : 1)}
        detailPx={grouping.detailPx}
        spot={spot}
        yawDeg={yaw ?? 0}
        busy={busy}
      />
    </Panel>
  );
}

function PanoramaPanel({
  panorama,
  wide,
  onProbe,
  onMeasure,
}: {
  panorama: Panorama;
  wide: boolean;
  onProbe: (spot: Spot) => void;
  onMeasure: () => void;
}) {
  const calibration = useCalibration(panorama.id);
  if (calibration.data === undefined) return <Waiting error={calibration.error} what="the calibration" />;
  const yaw = calibration.data?.orientation?.adopted.value ?? 0;
  return (
    <Panel
      title="Panorama"
      aside={
        <StateMark
          state={calibration.data?.orientation ? 'complete' : 'open'}
          word={FRAME_WORDS[calibration.data?.orientation?.frame ?? 'none']}
        />
      }
    >
      <PanoramaStrip
        key={panorama.id}
        panorama={panorama}
        yawDeg={yaw}
        trueNorth={calibration.data?.orientation?.frame === 'trueNorth'}
        height={wide ? 320 : 240}
        onProbe={onProbe}
        start={{ azimuthDeg: (panorama.sun?.azimuthDeg ?? 180) + yaw, spanDeg: wide ? 200 : 120 }}
      />
      <Row>
        <Action kind="main" grow title="Measure north and exposure" onPress={onMeasure} />
      </Row>
    </Panel>
  );
}
