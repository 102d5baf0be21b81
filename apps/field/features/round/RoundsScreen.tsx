import { router } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { sunPosition } from '@tawny/core/sun/ephemeris';
import type {
  Panorama,
  PanoramaRig,
  RigStatement,
  LightRound,
  Station,
  Location,
  Setup,
  ShootDay,
} from '@tawny/contract';
import { UNSTATED_RIG } from '@tawny/contract/kit';
import { useAllRounds, usePanoramas, useRigs, useProductionCode, useStations, useSave } from '../../data/queries';
import { useNewId } from '../../data/newId';
import { useSetup } from '../../data/setup';
import { instantAt } from '@tawny/contract/dayHours';
import { clock, clockShort, dateOf, nowOnDay } from '../../data/time';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Panel, Reading, Row } from '../../ui/Panel';
import { PickerField } from '../../ui/PickerField';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { SetupBar } from '../shell/SetupBar';
import { Waiting } from '../shell/Waiting';
import { RoundRow } from './RoundRow';

/** Stations of a setup and the rounds shot there. */
export function RoundsScreen() {
  const { setup, day, location, setups, error, choose } = useSetup();
  const stations = useStations(setup?.id);
  const rounds = useAllRounds();
  const rigs = useRigs();
  if (!setup || !day || !location || !stations.data || !rounds.data || !rigs.data)
    return <Waiting error={error ?? stations.error ?? rounds.error ?? rigs.error} what="the stations" />;
  return (
    <View style={{ gap: SPACE(4) }}>
      <SetupBar setups={setups} chosen={setup.id} onChoose={choose} />
      <Text size="title" strong heading={1}>
        {`Rounds of ${setup.name}`}
      </Text>
      {stations.data.length === 0 ? (
        <Notice
          state="open"
          title="No station yet"
          detail="A station is where the panorama camera stands: where the CG will be, or where the plate camera was. Make one to start a round."
        />
      ) : null}
      {stations.data.map((s) => (
        <StationPanel
          key={s.id}
          station={s}
          rounds={rounds.data.filter((r) => r.stationId === s.id)}
          setup={setup}
          location={location}
          day={day}
          rigs={rigs.data}
          lastRigId={lastRigOf(rounds.data)}
        />
      ))}
      <NewStation setup={setup} count={stations.data.length} />
    </View>
  );
}

function StationPanel({
  station,
  rounds,
  setup,
  location,
  day,
  ...kit
}: {
  station: Station;
  rounds: LightRound[];
  setup: Setup;
  location: Location;
  day: ShootDay;
} & RigChoice) {
  const panoramas = usePanoramas();
  return (
    <Panel
      title={station.name}
      aside={<Figure value={`${station.eastM} E  ${station.northM} N  ${station.heightM} up`} unit="m" size="body" />}
    >
      {rounds.length === 0 ? (
        <Text tone="quietInk">No round here yet. The light it stands in is gone when the sun has moved.</Text>
      ) : null}
      {rounds.map((r) => (
        <RoundRow
          key={r.id}
          round={r}
          panorama={newestOf(panoramas.data ?? [], r.id)}
          setupId={setup.id}
          zone={location.zone}
        />
      ))}
      <StartRound station={station} setup={setup} location={location} day={day} number={rounds.length + 1} {...kit} />
    </Panel>
  );
}

const newestOf = (panoramas: readonly Panorama[], roundId: string): Panorama | undefined =>
  panoramas.filter((p) => p.roundId === roundId).sort((a, b) => b.createdAt.localeCompare(a.createdAt))[0];

interface RigChoice {
  rigs: readonly PanoramaRig[];
  /** Of the round that was started last with one of the kit. */
  lastRigId: string | null;
}

/** Before any round was shot: a camera on a head, which most rigs are. */
const usualRig = (rigs: readonly PanoramaRig[]) => rigs.find((r) => r.kind === 'bodyAndLens') ?? rigs[0];

const lastRigOf = (rounds: readonly LightRound[]): string | null =>
  [...rounds].filter((r) => r.rigId !== null).sort((a, b) => b.createdAt.localeCompare(a.createdAt))[0]?.rigId ?? null;

/** A rig's facts in a line. */
function rigWords({ projection, fovDeg, views, rows, ndStops, glare, sensitivity, twoCircles }: RigStatement): string {
  const all = rows ? rows.reduce((sum, r) => sum + r.views, 0) : views;
  return [
    projection === 'latlong' ? 'whole 360° frames' : `${all} views, ${projection} ${fovDeg}°`,
    rows ? `${rows.length} rows` : null,
    twoCircles ? 'two circles a frame' : null,
    ndStops ? `ND ${ndStops} stops` : null,
    glare ? 'glare measured' : null,
    sensitivity ? 'sensitivity measured' : null,
  ]
    .filter(Boolean)
    .join(' · ');
}

/** Time of the round first: everything that follows from the sun hangs on it. */
function StartRound({
  station,
  setup,
  location,
  day,
  number,
  rigs,
  lastRigId,
}: {
  station: Station;
  setup: Setup;
  location: Location;
  day: ShootDay;
  number: number;
} & RigChoice) {
  const code = useProductionCode();
  const [at, setAt] = useState(() => (setup.lightAt ? new Date(setup.lightAt) : nowOnDay(day, location.zone)));
  const [condition, setCondition] = useState(setup.lightCondition);
  const conditions = [...new Set([setup.lightCondition, ...setup.lightConditions.map((c) => c.name)])];
  const [rigId, setRigId] = useState(lastRigId ?? usualRig(rigs)?.id ?? null);
  const rig = rigs.find((r) => r.id === rigId);
  const [id, renewId] = useNewId();
  const start = useSave<Partial<LightRound> & { id: string; version?: number }>('rounds');
  const sun = sunPosition(location, at);
  const move = (minutes: number) => setAt((t) => new Date(t.getTime() + minutes * 60000));
  const submit = () =>
    start.mutate(
      {
        record: {
          id,
          stationId: station.id,
          name: `Round ${number}`,
          lightCondition: condition,
          shotAt: at.toISOString(),
          rigId: rig?.id ?? null,
          rig: rig?.statement ?? UNSTATED_RIG,
        },
      },
      {
        onSuccess: (r) => {
          renewId();
          router.push(`/${code}/round/${r.id}?setup=${setup.id}`);
        },
      },
    );
  return (
    <View style={{ gap: SPACE(3) }}>
      <Row wrap gap={4} style={{ justifyContent: 'space-between' }}>
        <Row gap={1} style={{ alignItems: 'flex-end' }}>
          <Action title="−10 min" onPress={() => move(-10)} />
          <PickerField
            kind="time"
            label={`Planned for, ${clock(at, location.zone).split(' ')[1]}`}
            value={clockShort(at, location.zone)}
            onChange={(time) => {
              const then = instantAt(dateOf(at.toISOString(), location.zone), time, location.zone);
              if (then) setAt(then);
            }}
          />
          <Action title="+10 min" onPress={() => move(10)} />
        </Row>
        <Reading label="Sun then">
          <Figure value={`${sun.elevationDeg.toFixed(1)}`} unit={`° up, at ${sun.azimuthDeg.toFixed(0)}°`} />
        </Reading>
      </Row>
      {conditions.length > 1 ? (
        <Choice
          label="Light condition of the round"
          options={conditions.map((c) => ({ value: c, title: c }))}
          value={condition}
          onChange={setCondition}
        />
      ) : null}
      {rigs.length > 0 ? (
        <View>
          {rigs.length > 1 ? (
            <Choice
              label="Panorama rig"
              options={rigs.map((r) => ({ value: r.id, title: r.name }))}
              value={rigId ?? ''}
              onChange={setRigId}
            />
          ) : null}
          {rig ? (
            <Text
              size="small"
              tone="quietInk"
            >{`${rigs.length > 1 ? '' : `${rig.name}: `}${rigWords(rig.statement)}`}</Text>
          ) : null}
        </View>
      ) : (
        <Text size="small" tone="quietInk">
          No panorama rig in the kit: six fisheye views of 185° are assumed. State yours in the kit, or with the frames.
        </Text>
      )}
      {start.error ? <Notice state="lost" title="The round was not started" detail={start.error.message} /> : null}
      <Row>
        <Action kind="main" grow title={`Start round ${number}`} onPress={submit} busy={start.isPending} />
      </Row>
    </View>
  );
}

function NewStation({ setup, count }: { setup: Setup; count: number }) {
  const [open, setOpen] = useState(count === 0);
  const [place, setPlace] = useState({ eastM: 0, northM: 0, heightM: 1.6 });
  const [heightStated, setHeightStated] = useState(false);
  const [id, renewId] = useNewId();
  const make = useSave<Partial<Station> & { id: string; version?: number }>('stations');
  if (!open) {
    return (
      <Row>
        <Action title="Make another station" onPress={() => setOpen(true)} />
      </Row>
    );
  }
  return (
    <Panel title={`Station ${count + 1}`}>
      <Row wrap>
        <Stepper
          label="East of origin"
          signed
          unit="m"
          step={0.1}
          value={place.eastM}
          onChange={(eastM) => setPlace({ ...place, eastM })}
        />
        <Stepper
          label="North of origin"
          signed
          unit="m"
          step={0.1}
          value={place.northM}
          onChange={(northM) => setPlace({ ...place, northM })}
        />
        <Stepper
          label="Lens height"
          unit="m"
          step={0.05}
          value={place.heightM}
          unstated={!heightStated}
          onChange={(heightM) => {
            setHeightStated(true);
            setPlace({ ...place, heightM });
          }}
        />
      </Row>
      {make.error ? <Notice state="lost" title="The station was not made" detail={make.error.message} /> : null}
      <Row>
        <Action
          kind="main"
          title="Make station"
          disabled={!heightStated}
          busy={make.isPending}
          onPress={() =>
            make.mutate(
              { record: { id, setupId: setup.id, name: `Station ${count + 1}`, ...place } },
              {
                onSuccess: () => {
                  renewId();
                  setOpen(false);
                },
              },
            )
          }
        />
      </Row>
    </Panel>
  );
}
