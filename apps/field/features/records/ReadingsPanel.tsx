import Input from '@rneui/themed/dist/Input';
import { useState } from 'react';
import { View } from 'react-native';
import { DECLINATION_SIGMA_DEG, magneticDeclinationDeg } from '@tawny/core/orient/declination';
import { correctReading } from '@tawny/core/photometry/reading';
import { feetFromMetres, LUX_PER_FOOTCANDLE, parseLengthM, parseLux } from '@tawny/core/photometry/units';
import type {
  Reading,
  ReadingKind,
  Reference,
  InstrumentKind,
  InstrumentRecord,
  Location,
  Setup,
  Station,
  Take,
} from '@tawny/contract';
import { facingKnown, READING_KINDS, readingInput, REFERENCE_KINDS } from '@tawny/contract/setRecords';
import { ApiError } from '../../data/api';
import {
  useInstruments,
  useReadings,
  useReferences,
  useRemove,
  useSave,
  useStations,
  useOperation,
} from '../../data/queries';
import { clock } from '../../data/time';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { NotRemoved } from '../../ui/NotRemoved';
import { Panel, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { Waiting } from '../shell/Waiting';
import { readDeviceCompass, readDeviceTilt } from './deviceSensors';

interface PanelProps {
  setup: Setup;
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
const STEP: Record<ReadingKind, { step: number; digits: number; start: number }> = {
  lux: { step: 50, digits: 0, start: 1000 },
  spot: { step: 50, digits: 0, start: 500 },
  colourTemperature: { step: 50, digits: 0, start: 5600 },
  compass: { step: 1, digits: 1, start: 0 },
  tilt: { step: 0.5, digits: 1, start: 0 },
  distance: { step: 0.05, digits: 3, start: 3 },
  height: { step: 0.05, digits: 3, start: 1.5 },
  east: { step: 0.05, digits: 3, start: 0 },
  north: { step: 0.05, digits: 3, start: 0 },
};
const UNSAID = { azimuth: null, elevation: null } as const;
/** Kinds that a stand-in can read here. */
const SIMULATED: ReadonlySet<ReadingKind> = new Set(['lux', 'compass', 'tilt', 'height', 'east', 'north']);

/** What a reading means once instrument and place are taken into account. */
export function meaningOf(
  r: Pick<Reading, 'kind' | 'shown' | 'takenAt'>,
  instrument: InstrumentRecord | undefined,
  location: Location,
) {
  const declination =
    r.kind === 'compass'
      ? { deg: magneticDeclinationDeg(location, new Date(r.takenAt)), sigmaDeg: DECLINATION_SIGMA_DEG }
      : null;
  return correctReading(r.kind, r.shown, instrument ?? null, declination);
}

function otherUnit(kind: ReadingKind, value: number): string {
  if (kind === 'lux') return ` (${(value / LUX_PER_FOOTCANDLE).toFixed(1)} fc)`;
  if (kind === 'distance' || kind === 'height') {
    const f = feetFromMetres(value);
    return ` (${f.feet}' ${f.inches}")`;
  }
  return '';
}

export function ReadingsPanel({ setup, location, takes }: PanelProps) {
  const readings = useReadings(setup.id);
  const instruments = useInstruments();
  const stations = useStations(setup.id);
  const references = useReferences(setup.id);
  const removal = useRemove('readings');
  const [gone, setGone] = useState<string | null>(null);
  if (!readings.data || !instruments.data)
    return <Waiting error={readings.error ?? instruments.error} what="the readings" />;
  return (
    <View style={{ gap: 16 }}>
      <NewReading setup={setup} location={location} takes={takes} instruments={instruments.data} />
      <NotRemoved error={removal.error} />
      {gone ? (
        <Notice state="open" title="The reading was removed">
          <Row>
            <Action title="Take it back" onPress={() => removal.restore(gone, { onSuccess: () => setGone(null) })} />
          </Row>
        </Notice>
      ) : null}
      {readings.data.length === 0 ? (
        <Notice
          state="open"
          title="No reading yet"
          detail="Lux, cd/m², compass, tilt and distance are kept with instrument, time and uncertainty, for whoever lights this later."
        />
      ) : null}
      {readings.data.map((r) => {
        const instrument = instruments.data.find((i) => i.id === r.instrumentId);
        const m = meaningOf(r, instrument, location);
        const { title, unit } = READING_KINDS[r.kind];
        const tie = tiesOf(stations.data ?? [], takes, references.data ?? []).find(
          (t) =>
            t.value !== 'setup' &&
            (t.stationId ?? t.takeId ?? t.referenceId) === (r.referenceId ?? r.takeId ?? r.stationId),
        );
        const digits = STEP[r.kind].digits;
        return (
          <Panel key={r.id}>
            <Row style={{ justifyContent: 'space-between' }} wrap>
              <View>
                <Text size="small" tone="quietInk">
                  {title}
                </Text>
                <Figure
                  value={m.value.toFixed(digits)}
                  unit={unit}
                  plusMinus={`${m.uncertainty.toFixed(Math.max(digits, r.kind === 'lux' || r.kind === 'spot' ? 0 : 2))} ${unit}`}
                />
              </View>
              <Action title="Remove" onPress={() => removal.remove(r, { onSuccess: () => setGone(r.id) })} />
            </Row>
            <Text size="small" tone="quietInk">
              {[
                `${instrument?.name ?? 'no instrument named'} showed ${r.shown} ${unit}${otherUnit(r.kind, r.shown)}`,
                ...m.steps,
                tie ? `at ${tie.title}` : '',
                r.lightCondition,
                clock(r.takenAt, location.zone),
                r.source === 'entered' ? '' : `${r.source} sensor`,
                r.planeElevationDeg === null
                  ? ''
                  : `${r.kind === 'spot' ? 'pointed at' : 'plane facing'} ${r.planeAzimuthDeg === null ? 'elevation ' : `${r.planeAzimuthDeg}° / `}${r.planeElevationDeg}°`,
                r.duv === null ? '' : `Duv ${r.duv}`,
                r.notes,
              ]
                .filter(Boolean)
                .join(' · ')}
            </Text>
          </Panel>
        );
      })}
    </View>
  );
}

interface Tie {
  value: string;
  title: string;
  stationId: string | null;
  takeId: string | null;
  referenceId: string | null;
}

/** Latest of each that a reading may belong to. */
const OFFERED = 4;

function tiesOf(stations: readonly Station[], takes: readonly Take[], references: readonly Reference[]): Tie[] {
  const none = { stationId: null, takeId: null, referenceId: null };
  return [
    { value: 'setup', title: 'The setup', ...none },
    ...stations.slice(0, OFFERED).map((s) => ({ ...none, value: `s:${s.id}`, title: s.name, stationId: s.id })),
    ...takes
      .slice(0, OFFERED)
      .map((t) => ({ ...none, value: `t:${t.id}`, title: `${t.slate} / ${t.take}${t.camera}`, takeId: t.id })),
    ...references
      .slice(0, OFFERED)
      .map((r) => ({ ...none, value: `r:${r.id}`, title: `${REFERENCE_KINDS[r.kind]}, ${r.name}`, referenceId: r.id })),
  ];
}

function NewReading({
  setup,
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
  const [plane, setPlane] = useState<{ azimuth: number | null; elevation: number | null }>(UNSAID);
  const [duv, setDuv] = useState<number | null>(null);
  const [instrumentId, setInstrument] = useState<string | null>(null);
  const [source, setSource] = useState<Reading['source']>('entered');
  const [sensorFault, setSensorFault] = useState<string | null>(null);
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
  const at = () => (take ? take.shotAt : (setup.lightAt ?? new Date().toISOString()));
  const { title, unit } = READING_KINDS[kind];
  const put = (v: number, from: Reading['source'] = 'entered') => {
    setShown(v);
    setRead(true);
    setSource(from);
  };
  /** A plane faces somewhere, and a spot meter is pointed somewhere. */
  const pointed = kind === 'lux' || kind === 'spot';
  const record = {
    id: crypto.randomUUID(),
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
    takenAt: at(),
    source,
  } as const;
  const shape = readingInput.safeParse(record);
  const meaning = meaningOf({ kind, shown, takenAt: at() }, instrument, location);
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
        at: at(),
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
            unit="°"
            value={facing.elevation}
            unstated={plane.elevation === null}
            step={kind === 'lux' ? 15 : 1}
            digits={0}
            onChange={(elevation) => setPlane({ ...plane, elevation: Math.max(-90, Math.min(90, elevation)) })}
          />
        ) : null}
        {kind === 'colourTemperature' ? (
          <Stepper label="Duv" value={duv ?? 0} unstated={duv === null} step={0.001} digits={4} onChange={setDuv} />
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
          onPress={() => save.mutate({ record })}
        />
        {kind === 'compass' || kind === 'tilt' ? (
          <Action title="This device's sensor" onPress={() => void device()} />
        ) : null}
        {SIMULATED.has(kind) ? <Action title="Simulated instrument" onPress={stand} busy={simulate.isPending} /> : null}
      </Row>
    </Panel>
  );
}
