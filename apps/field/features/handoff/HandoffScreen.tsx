import { useState } from 'react';
import { Linking, View } from 'react-native';
import type { Calibration, Exposures, Handoff, LightRound, Location, Panorama, Setup, Take } from '@tawny/contract';
import { faultWords } from '@tawny/core/text/exposureFaults';
import { signed } from '@tawny/core/text/signed';
import { fileAddress } from '../../data/api';
import {
  useCalibration,
  useHandoffs,
  useJob,
  usePlates,
  useProductionCode,
  useTakes,
  useOperation,
  stageOf,
  useExposures,
} from '../../data/queries';
import { useNewId } from '../../data/newId';
import { useSetup } from '../../data/setup';
import { clock } from '../../data/time';
import { Action } from '../../ui/Action';
import { Columns } from '../../ui/Columns';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { Progress } from '../../ui/Progress';
import { RestsOn } from '../../ui/RestsOn';
import { StateMark, StateShape, type StateName } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { SunOfTakePanel } from './SunOfTakePanel';
import { PanoramaPicker } from '../measure/PanoramaPicker';
import { TakeChoice } from '../measure/TakeChoice';
import { useChosenPanorama } from '../measure/useChosenPanorama';
import { SetupBar } from '../shell/SetupBar';
import { Waiting } from '../shell/Waiting';

/** What goes in, what is missing, build, history. */
export function HandoffScreen() {
  const { setup, location, setups, error, choose } = useSetup();
  const chosen = useChosenPanorama(setup);
  const calibration = useCalibration(chosen.panorama?.id);
  const takes = useTakes(setup?.id);
  const handoffs = useHandoffs(setup?.id);
  if (!setup || !location || !chosen.ready || !takes.data || !handoffs.data)
    return <Waiting error={error ?? chosen.error ?? takes.error ?? handoffs.error} what="the handoffs" />;
  const builder = (
    <Builder
      key={`${setup.id}${chosen.panorama?.id ?? ''}`}
      setup={setup}
      panorama={chosen.panorama}
      round={chosen.round}
      calibration={calibration.data ?? null}
      takes={takes.data}
      location={location}
    />
  );
  const history = <History handoffs={handoffs.data} location={location} />;
  return (
    <View style={{ gap: SPACE(4) }}>
      <SetupBar setups={setups} chosen={setup.id} onChoose={choose} />
      <Text size="title" strong heading={1}>{`Hand off ${setup.name}`}</Text>
      <PanoramaPicker shot={chosen.shot} chosen={chosen.panorama?.id} zone={location.zone} onChoose={chosen.choose} />
      <Columns left={builder} right={history} />
    </View>
  );
}

interface BuilderProps {
  setup: Setup;
  panorama: Panorama | undefined;
  round: LightRound | undefined;
  calibration: Calibration | null;
  takes: Take[];
  location: Location;
}

/** A measurement is complete while nothing contradicts it and nothing under it has changed. */
const stateOf = (calibration: Calibration, { verdict }: { verdict: string }): StateName =>
  verdict === 'disagrees' || calibration.basis.changed.length > 0 ? 'doubtful' : 'complete';

/** The interval behind a value; nothing where it is not known. */
const plusMinus = ({ adopted }: { adopted: { uncertainty: number | null } }) =>
  adopted.uncertainty === null ? '' : `±${adopted.uncertainty.toFixed(2)}`;

/** The gain to a take's plate, whose card it follows, and what speaks against it. */
function gainWords(
  { gainStops, uncertaintyStops, verdict }: Exposures['takes'][number],
  measuredHere: boolean | undefined,
  fault: Exposures['faults'][number] | undefined,
): string {
  if (uncertaintyStops === null) return 'Nothing ties this take to the panorama: values stay relative';
  const carried = measuredHere === false ? ', carried from the take whose card was measured' : '';
  const doubt = verdict === 'disagrees' && fault ? `; ${faultWords(fault).title}` : '';
  return `gain ${signed(gainStops, 2)} ±${uncertaintyStops.toFixed(2)} stop${carried}${doubt}`;
}

function Builder({ setup, panorama, round, calibration, takes, location }: BuilderProps) {
  const { palette } = useTheme();
  const lightOf = (t: Take) => t.lightCondition || setup.lightCondition;
  // A take of the panorama's own light, when there is one.
  const [takeId, setTakeId] = useState((takes.find((t) => lightOf(t) === round?.lightCondition) ?? takes[0])?.id);
  const take = takes.find((t) => t.id === takeId);
  const [reaim, setReaim] = useState(true);
  const plates = usePlates(takeId);
  const measuredHere = plates.data?.some((p) => p.id === calibration?.scale?.card.plateId);
  // What all that was measured says together of this take: the package states the same.
  const { data: exposures, error: notJoined } = useExposures(panorama?.id);
  const joined = exposures?.takes.find((t) => t.takeId === takeId);
  const borrowed = round && take && lightOf(take) !== round.lightCondition;
  const job = useJob(setup.id, 'handoff');
  const [id, renewId] = useNewId(`${panorama?.id} ${takeId} ${reaim}`);
  const build = useOperation('handoffs.create');
  const busy = job.data?.state === 'queued' || job.data?.state === 'running';
  const parts: { state: StateName; what: string; detail: string }[] = [
    panorama
      ? {
          state: panorama.basis.changed.length > 0 || borrowed ? 'doubtful' : 'complete',
          what: 'Panorama',
          detail: borrowed
            ? `Borrowed: it was shot in "${round.lightCondition}", this take in "${lightOf(take)}"`
            : `${panorama.widthPx} × ${panorama.heightPx} px, ${panorama.dynamicRangeStops.toFixed(1)} stops`,
        }
      : { state: 'lost', what: 'Panorama', detail: 'Missing: build a round first' },
    calibration?.orientation
      ? {
          state: stateOf(calibration, calibration.orientation),
          what: calibration.orientation.frame === 'set' ? 'Set frame, north unknown' : 'North',
          detail: `turned by ${calibration.orientation.adopted.value.toFixed(2)}° ${plusMinus(calibration.orientation)}°`,
        }
      : {
          state: 'doubtful',
          what: 'North',
          detail: 'Unknown: the package is complete for lighting in the frame of the set, and says so',
        },
    calibration?.scale
      ? {
          state:
            measuredHere === true && joined?.verdict !== 'disagrees'
              ? stateOf(calibration, calibration.scale)
              : 'doubtful',
          what: 'Exposure',
          detail: joined
            ? gainWords(
                joined,
                measuredHere,
                exposures?.faults.find((f) => !f.settled),
              )
            : exposures === undefined
              ? (notJoined?.message ?? 'Being joined from all that was measured')
              : 'Carried from the take whose card was measured, by what differs; the package states it with its interval',
        }
      : {
          state: 'doubtful',
          what: 'Exposure',
          detail:
            'Not measured here: carried from another round of the same rig where a card was, else values stay relative',
        },
    panorama?.sun
      ? {
          state: panorama.sun.clipped ? 'doubtful' : 'complete',
          what: 'Sun light',
          detail: panorama.sun.clipped ? 'clipped: its energy is a lower bound' : 'separated, its energy measured',
        }
      : { state: 'doubtful', what: 'Sun light', detail: 'No sun in the panorama' },
    takes.length > 0
      ? { state: 'complete', what: 'Takes', detail: `${takes.length} in the table, each with the sun at that take` }
      : { state: 'lost', what: 'Takes', detail: 'Missing: log a take first' },
  ];
  return (
    <Panel title="What goes in">
      {parts.map((p) => (
        <View
          key={p.what}
          style={{
            flexDirection: 'row',
            gap: SPACE(3),
            alignItems: 'flex-start',
            borderTopWidth: 1,
            borderColor: palette.hairline,
            paddingTop: SPACE(2),
          }}
        >
          <View style={{ paddingTop: 5 }}>
            <StateShape state={p.state} />
          </View>
          <View style={{ flex: 1 }}>
            <Text strong>{p.what}</Text>
            <Text size="small" tone="quietInk">
              {p.detail}
            </Text>
          </View>
        </View>
      ))}
      {takes.length > 0 ? (
        <View>
          <Text size="small" tone="quietInk">
            Camera of take
          </Text>
          <TakeChoice label="Camera of take" takes={takes} value={takeId} onChange={setTakeId} />
        </View>
      ) : null}
      {panorama?.sun && round && take ? (
        <SunOfTakePanel
          setup={setup}
          location={location}
          take={take}
          sunAt={calibration?.orientation?.sun?.utc ?? round.shotAt}
          aim={reaim}
          onAim={setReaim}
        />
      ) : null}
      {busy ? <Progress stage={stageOf(job.data!)} fraction={job.data!.progress} /> : null}
      {job.data?.state === 'failed' ? (
        <Notice state="lost" title="The package was not made" detail={job.data.error?.message} />
      ) : null}
      {build.error ? <Notice state="lost" title="The package was not started" detail={build.error.message} /> : null}
      {calibration ? <RestsOn basis={calibration.basis} again="Measure again before you hand off." /> : null}
      <Row>
        <Action
          kind="main"
          grow
          title="Make the package"
          busy={build.isPending || busy}
          disabled={!panorama || !takeId}
          onPress={() =>
            build.mutate({ id, setupId: setup.id, panoramaId: panorama!.id, takeId, reaim }, { onSuccess: renewId })
          }
        />
      </Row>
    </Panel>
  );
}

const megabytes = (bytes: number) =>
  bytes < 1e6 ? `${(bytes / 1e3).toFixed(1)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;

function History({ handoffs, location }: { handoffs: Handoff[]; location: Location }) {
  const code = useProductionCode();
  if (handoffs.length === 0)
    return (
      <Notice
        state="open"
        title="Nothing was handed off yet"
        detail="Each package is numbered and stays as it was made; a later one never replaces it."
      />
    );
  return (
    <View style={{ gap: SPACE(3) }}>
      {handoffs.map((h) => (
        <Panel
          key={h.id}
          title={`Handoff ${String(h.number).padStart(3, '0')}`}
          aside={
            <Figure
              value={megabytes(h.sizeBytes).split(' ')[0]}
              unit={megabytes(h.sizeBytes).split(' ')[1]}
              size="large"
            />
          }
        >
          <Text
            size="small"
            tone="quietInk"
          >{`${clock(h.createdAt, location.zone)} · immutable · sha-256 ${h.hash.slice(0, 12)}`}</Text>
          {h.files.map((f) => (
            <Row key={f.path} style={{ justifyContent: 'space-between' }}>
              <Text size="small" lines={1} style={{ flex: 1 }}>
                {f.path}
              </Text>
              <Figure
                value={megabytes(f.sizeBytes).split(' ')[0]}
                unit={megabytes(f.sizeBytes).split(' ')[1]}
                size="body"
              />
            </Row>
          ))}
          {h.missing.map((m) => (
            <Text key={m} size="small" tone="ochre">{`Missing: ${m}`}</Text>
          ))}
          {h.basis.changed.length > 0 ? (
            <Text
              size="small"
              tone="ochre"
            >{`Stale: ${h.basis.changed.join(', ')} changed since. Make a new package.`}</Text>
          ) : null}
          <StateMark state="complete" word="Kept as made" />
          <Row>
            <Action
              kind="main"
              grow
              title={`Download ${h.fileName}`}
              onPress={() => void Linking.openURL(fileAddress('handoffs.download', { production: code, id: h.id }))}
            />
          </Row>
        </Panel>
      ))}
    </View>
  );
}
