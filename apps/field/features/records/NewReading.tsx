import Input from '@rneui/themed/dist/Input';
import { useState } from 'react';
import { View } from 'react-native';
import { parseLengthM, parseLux } from '@tawny/core/photometry/units';
import type {
  InstrumentKind,
  InstrumentRecord,
  Location,
  Reading,
  ReadingKind,
  Setup,
  ShootDay,
  Take,
} from '@tawny/contract';
import { facingKnown, READING_KINDS, readingInput } from '@tawny/contract/setRecords';
import { ApiError } from '../../data/api';
import { useNewId } from '../../data/newId';
import { useOperation, useReferences, useSave, useStations } from '../../data/queries';
import { nowOnDay } from '../../data/time';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Fold } from '../../ui/Fold';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { InstantCells } from '../log/InstantCells';
import { runsNow } from '../log/takeTime';
import { readDeviceCompass, readDeviceTilt } from './deviceSensors';
import { meaningOf, otherUnit, STEP, tiesOf, timeOfReading, timeOfReadingWords } from './readingFacts';

export interface PanelProps {
  setup: Setup;
  day: ShootDay;
  location: Location;
  takes: readonly Take[];
}

const INSTRUMENT_FOR: Record<ReadingKind, InstrumentKind[]> = {
  lux: ['luxMeter'],
  spot: ['spotMeter'],
  colourTemperature: ['colourMeter'],
  compass: ['compass'],
  tilt: ['inclinometer'],
  distance: ['tape', 'laser'],
  height: ['tape', 'laser'],
  east: ['positioning'],
  north: ['positioning'],
};
const UNSAID = { azimuth: null, elevation: null } as const;
/** Kinds that may read less than nothing. */
const BELOW_ZERO: ReadonlySet<ReadingKind> = new Set(['tilt', 'east', 'north']);
/** Kinds that a stand-in can read here. */
const SIMULATED: ReadonlySet<ReadingKind> = new Set(['lux', 'compass', 'tilt', 'height', 'east', 'north']);

/** A reading as it is taken: nothing is kept before it was read. */
export function NewReading({
  setup,
  day,
  location,
  takes,
  instruments,
}: PanelProps & { instruments: readonly InstrumentRecord[] }) {
  const stations = useStations(setup.id);
  const references = useReferences(setup.id);
  const [tie, setTie] = useState<string | null>(null);
  const [kind, setKind] = useState<ReadingKind>('lux');
  const [shown, setShown] = useState(STEP.lux.start);
  const [typed, setTyped] = useState('');
  const [typedFault, setTypedFault] = useState<string | undefined>();
  /** Nothing is read before somebody read it, and nobody knows where a plane faced who does not say so. */
  const [read, setRead] = useState(false);
  /** When it was read, where somebody said so. */
  const [stated, setStated] = useState<string | null>(null);
  const [plane, setPlane] = useState<{ azimuth: number | null; elevation: number | null }>(UNSAID);
  const [duv, setDuv] = useState<number | null>(null);
  const [instrumentId, setInstrument] = useState<string | null>(null);
  const [source, setSource] = useState<Reading['source']>('entered');
  const [sensorFault, setSensorFault] = useState<string | null>(null);
  const [id, renewId] = useNewId();
  const save = useSave<Partial<Reading> & { id: string; version?: number }>('readings');
  const simulate = useOperation('instruments.simulate');
  const fitting = instruments.filter((i) => INSTRUMENT_FOR[kind].includes(i.kind));
  const instrument = fitting.find((i) => i.id === instrumentId) ?? fitting[0];
  const take = takes.find((t) => t.id === tie?.slice(2)) ?? takes[0];
  const ties = tiesOf(stations.data ?? [], takes, references.data ?? []);
  // What a reading is usually about: light at a station, angles of the camera with its take.
  const usual =
    (kind === 'compass' || kind === 'tilt' ? ties.find((t) => t.takeId) : ties.find((t) => t.stationId)) ?? ties[0];
  const tied = ties.find((t) => t.value === tie) ?? usual;
  const station = stations.data?.find((s) => s.id === tied.stationId) ?? stations.data?.[0];
  const runs = runsNow(takes[0], { setup, day, zone: location.zone });
  const time = timeOfReading(stated, runs, take?.shotAt ?? setup.lightAt ?? nowOnDay(day, location.zone).toISOString());
  const { title, unit } = READING_KINDS[kind];
  const put = (v: number, from: Reading['source'] = 'entered') => {
    setShown(v);
    setRead(true);
    setSource(from);
  };
  /** A plane faces somewhere, and a spot meter is pointed somewhere. */
  const pointed = kind === 'lux' || kind === 'spot';
  const record = {
    id,
    setupId: setup.id,
    stationId: tied.stationId,
    takeId: tied.takeId,
    referenceId: tied.referenceId,
    kind,
    shown,
    duv: kind === 'colourTemperature' ? duv : null,
    instrumentId: instrument?.id ?? null,
    receptor: kind === 'lux' ? (instrument?.receptor ?? 'flat') : null,
    planeAzimuthDeg: pointed ? plane.azimuth : null,
    planeElevationDeg: pointed ? plane.elevation : null,
    lightCondition: setup.lightCondition,
    ...time,
    source,
  } as const;
  const shape = readingInput.safeParse(record);
  const meaning = meaningOf({ kind, shown, takenAt: time.takenAt }, instrument, location);
  const commit = () => {
    if (typed.trim() === '') return;
    try {
      put(
        kind === 'lux'
          ? parseLux(typed)
          : kind === 'distance' || kind === 'height'
            ? parseLengthM(typed)
            : Number(typed.replace(',', '.')),
      );
      setTypedFault(undefined);
      setTyped('');
    } catch (e) {
      setTypedFault((e as Error).message);
    }
  };
  const device = async () => {
    setSensorFault(null);
    try {
      put(kind === 'compass' ? await readDeviceCompass() : await readDeviceTilt(), 'device');
    } catch (e) {
      setSensorFault((e as Error).message);
    }
  };
  const facing = { azimuth: plane.azimuth ?? 0, elevation: plane.elevation ?? (kind === 'lux' ? 90 : 0) };
  const stand = () =>
    simulate.mutate(
      {
        setupId: setup.id,
        kind,
        instrumentId: instrument?.id ?? null,
        stationId: station?.id ?? null,
        takeId: tied.takeId ?? (kind === 'compass' || kind === 'tilt' ? (take?.id ?? null) : null),
        at: time.takenAt,
        lightCondition: setup.lightCondition,
        planeAzimuthDeg: facing.azimuth,
        planeElevationDeg: facing.elevation,
      },
      {
        onSuccess: (r) => {
          setPlane(facing);
          put(r.shown, 'simulated');
        },
      },
    );
  return (
    <Panel title="New reading">
      <Choice
        label="Kind of reading"
        options={(Object.keys(READING_KINDS) as ReadingKind[]).map((k) => ({
          value: k,
          title: READING_KINDS[k].title,
        }))}
        value={kind}
        onChange={(k) => {
          setKind(k);
          setShown(STEP[k].start);
          setRead(false);
          setPlane(UNSAID);
          setDuv(null);
          setSensorFault(null);
        }}
      />
      <View>
        <Text size="small" tone="quietInk">
          Belongs to
        </Text>
        <Choice label="Belongs to" options={ties} value={tied.value} onChange={setTie} />
      </View>
      {fitting.length > 0 ? (
        <Choice
          label="Instrument"
          options={fitting.map((i) => ({ value: i.id, title: i.name }))}
          value={instrument?.id ?? ''}
          onChange={setInstrument}
        />
      ) : (
        <Text size="small" tone="ochre">
          The kit has no instrument for this: its usual uncertainty is assumed.
        </Text>
      )}
      <Row wrap style={{ alignItems: 'flex-start' }}>
        <Stepper
          label={title}
          signed={BELOW_ZERO.has(kind)}
          unit={unit}
          value={shown}
          unstated={!read}
          step={STEP[kind].step}
          digits={STEP[kind].digits}
          onChange={(v) => put(v)}
        />
        {pointed ? (
          <Stepper
            label={kind === 'lux' ? 'Plane faces, azimuth' : 'Pointed at, azimuth'}
            unit="°"
            value={facing.azimuth}
            unstated={plane.azimuth === null}
            step={kind === 'lux' ? 15 : 1}
            digits={0}
            onChange={(azimuth) => setPlane({ ...plane, azimuth: ((azimuth % 360) + 360) % 360 })}
          />
        ) : null}
        {pointed ? (
          <Stepper
            label={kind === 'lux' ? 'Plane faces, elevation' : 'Pointed at, elevation'}
            signed
            unit="°"
            value={facing.elevation}
            unstated={plane.elevation === null}
            step={kind === 'lux' ? 15 : 1}
            digits={0}
            onChange={(elevation) => setPlane({ ...plane, elevation: Math.max(-90, Math.min(90, elevation)) })}
          />
        ) : null}
        {kind === 'colourTemperature' ? (
          <Stepper
            label="Duv"
            signed
            value={duv ?? 0}
            unstated={duv === null}
            step={0.001}
            digits={4}
            onChange={setDuv}
          />
        ) : null}
      </Row>
      {kind === 'lux' || kind === 'distance' || kind === 'height' ? (
        <Input
          label={kind === 'lux' ? 'Or as spoken: 1200 lux, 112 fc' : 'Or as spoken: 3.2 m, 10\' 6", 320 cm'}
          accessibilityLabel="Reading as spoken"
          value={typed}
          onChangeText={setTyped}
          onSubmitEditing={commit}
          onBlur={commit}
          errorMessage={typedFault}
          renderErrorMessage={Boolean(typedFault)}
        />
      ) : null}
      <Text testID="reading-meaning">
        {!read
          ? 'Nothing read yet'
          : `Means ${meaning.value.toFixed(STEP[kind].digits)} ± ${meaning.uncertainty.toFixed(kind === 'lux' || kind === 'spot' ? 0 : 2)} ${unit}${otherUnit(kind, meaning.value)}${meaning.steps.length > 0 ? `: ${meaning.steps.join(', ')}` : ''}`}
      </Text>
      {pointed && read && !facingKnown(record) ? (
        <Text size="small" tone="quietInk">
          {`Say where ${kind === 'lux' ? 'its plane faced (elevation 90° is flat, facing up)' : 'it was pointed'}: without, the reading is kept and tells nothing of exposure.`}
        </Text>
      ) : null}
      <Fold title="When it was read" summary={timeOfReadingWords(time, location.zone)}>
        <InstantCells of="the reading" at={time.takenAt} zone={location.zone} onChange={setStated} />
        <Text size="small" tone="quietInk">
          {`${timeOfReadingWords(time, location.zone)}.${pointed ? ' Light drifts: the further from a round or a take, the less a reading says of it.' : ''}`}
        </Text>
      </Fold>
      {shape.success ? null : (
        <Text size="small" tone="madder">
          {shape.error.issues[0].message}
        </Text>
      )}
      {sensorFault ? <Notice state="doubtful" title="This device cannot read it" detail={sensorFault} /> : null}
      {simulate.error ? (
        <Notice state="doubtful" title="The simulated instrument cannot read it" detail={simulate.error.message} />
      ) : null}
      {save.error ? (
        <Notice
          state="lost"
          title="The reading was not saved"
          detail={save.error instanceof ApiError ? save.error.message : ''}
        />
      ) : null}
      <Row wrap>
        <Action
          kind="main"
          grow
          title="Save reading"
          disabled={!shape.success || !read}
          busy={save.isPending}
          onPress={() =>
            save.mutate(
              { record: { ...record, ...timeOfReading(stated, runs, time.takenAt) } },
              // The next one is read anew, at a time of its own: a second tap keeps nothing twice.
              {
                onSuccess: () => {
                  renewId();
                  setStated(null);
                  setRead(false);
                },
              },
            )
          }
        />
        {kind === 'compass' || kind === 'tilt' ? (
          <Action title="This device's sensor" onPress={() => void device()} />
        ) : null}
        {SIMULATED.has(kind) ? <Action title="Simulated instrument" onPress={stand} busy={simulate.isPending} /> : null}
      </Row>
    </Panel>
  );
}
