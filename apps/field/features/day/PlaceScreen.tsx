import { router } from 'expo-router';
import { DateTime } from 'luxon';
import { useState } from 'react';
import { View } from 'react-native';
import { magneticDeclinationDeg } from '@tawny/core';
import { dayInput, locationInput, type CameraClock, type Location, type ShootDay } from '@tawny/contract';
import { useClocks, useProductionCode, useSave } from '../../data/queries';
import { useSetup } from '../../data/setup';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { RecordForm, type FieldSpec } from '../../ui/RecordForm';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { readDevicePosition } from '../records/deviceSensors';
import { Waiting } from '../shell/Waiting';
import { newSetup, type NewSetup } from './newSetup';

const DAY_FIELDS: FieldSpec<ShootDay>[] = [
  { kind: 'text', name: 'unit', label: 'Unit' },
  { kind: 'text', name: 'date', label: 'Date (YYYY-MM-DD)' },
  { kind: 'text', name: 'callLocal', label: 'Call (hh:mm)' },
  { kind: 'text', name: 'wrapLocal', label: 'Wrap (hh:mm)' },
  { kind: 'text', name: 'weather', label: 'Weather' },
];
const PLACE_FIELDS: FieldSpec<Location>[] = [
  { kind: 'text', name: 'name', label: 'Name' },
  { kind: 'number', name: 'latitudeDeg', label: 'Latitude, north positive', unit: '°', step: 0.001, digits: 5 },
  { kind: 'number', name: 'longitudeDeg', label: 'Longitude, east positive', unit: '°', step: 0.001, digits: 5 },
  { kind: 'number', name: 'altitudeM', label: 'Altitude', unit: 'm', step: 1, digits: 0 },
];

/** The day and the place it happens at. */
export function PlaceScreen() {
  const { day, location, error } = useSetup();
  if (!day || !location) return <Waiting error={error} what="the day" />;
  return (
    <View style={{ gap: SPACE(4) }}>
      <Text size="title" strong heading={1}>
        {`Day ${day.number} and ${location.name}`}
      </Text>
      <DayForm key={`${day.id}${day.version}`} stored={day} />
      <PlaceForm key={`${location.id}${location.version}`} stored={location} date={day.date} />
      <Clocks day={day} />
      <NextDay day={day} />
    </View>
  );
}

function DayForm({ stored }: { stored: ShootDay }) {
  const [day, setDay] = useState(stored);
  const save = useSave<ShootDay>('days');
  const shape = dayInput.safeParse(day);
  return (
    <Panel title="Shoot day">
      <RecordForm
        fields={DAY_FIELDS}
        value={day}
        onChange={(part) => setDay((d) => ({ ...d, ...part }))}
        fault={(n) => (shape.success ? undefined : shape.error.issues.find((i) => i.path[0] === n)?.message)}
      />
      {save.error ? <Notice state="lost" title="The day was not saved" detail={save.error.message} /> : null}
      <Row>
        <Action
          kind="main"
          title="Save day"
          disabled={!shape.success}
          busy={save.isPending}
          onPress={() => save.mutate({ record: day })}
        />
      </Row>
    </Panel>
  );
}

function PlaceForm({ stored, date }: { stored: Location; date: string }) {
  const [place, setPlace] = useState(stored);
  const [fault, setFault] = useState<string | null>(null);
  const [point, setPoint] = useState({ bearingDeg: 180, elevationDeg: 5 });
  const save = useSave<Location>('locations');
  const shape = locationInput.safeParse(place);
  const moved = place.latitudeDeg !== stored.latitudeDeg || place.longitudeDeg !== stored.longitudeDeg;
  const here = async () => {
    try {
      setFault(null);
      const p = await readDevicePosition();
      setPlace((old) => ({
        ...old,
        latitudeDeg: Number(p.latitudeDeg.toFixed(6)),
        longitudeDeg: Number(p.longitudeDeg.toFixed(6)),
        altitudeM: p.altitudeM === null ? old.altitudeM : Math.round(p.altitudeM),
      }));
    } catch (e) {
      setFault((e as Error).message);
    }
  };
  return (
    <Panel title="Location">
      <RecordForm
        fields={PLACE_FIELDS}
        value={place}
        onChange={(part) => setPlace((l) => ({ ...l, ...part }))}
        fault={(n) => (shape.success ? undefined : shape.error.issues.find((i) => i.path[0] === n)?.message)}
      />
      <Text
        size="small"
        tone="quietInk"
      >{`Zone ${moved ? 'will be found from the coordinates' : place.zone} · compass needle ${shape.success ? magneticDeclinationDeg(place, new Date(date)).toFixed(1) : '–'}° east of true north (World Magnetic Model, ± 0.5°)`}</Text>
      <Text strong>Skyline</Text>
      <Text size="small" tone="quietInk">
        {place.skyline.length === 0
          ? 'Level horizon: the sun sets when it sets. Add what stands before it.'
          : place.skyline.map((s) => `${s.bearingDeg}° → ${s.elevationDeg}°`).join(' · ')}
      </Text>
      <Row wrap>
        <Stepper
          label="Bearing"
          unit="°"
          value={point.bearingDeg}
          step={5}
          digits={0}
          onChange={(v) => setPoint({ ...point, bearingDeg: ((v % 360) + 360) % 360 })}
        />
        <Stepper
          label="Elevation"
          unit="°"
          value={point.elevationDeg}
          step={0.5}
          digits={1}
          onChange={(v) => setPoint({ ...point, elevationDeg: Math.max(-10, Math.min(90, v)) })}
        />
        <Action
          title="Add to the skyline"
          onPress={() =>
            setPlace({
              ...place,
              skyline: [...place.skyline.filter((s) => s.bearingDeg !== point.bearingDeg), point].sort(
                (a, b) => a.bearingDeg - b.bearingDeg,
              ),
            })
          }
        />
        {place.skyline.length > 0 ? (
          <Action title="Level horizon" onPress={() => setPlace({ ...place, skyline: [] })} />
        ) : null}
      </Row>
      {fault ? <Notice state="doubtful" title="No position from this device" detail={fault} /> : null}
      {save.error ? <Notice state="lost" title="The location was not saved" detail={save.error.message} /> : null}
      <Row wrap>
        <Action
          kind="main"
          title="Save location"
          disabled={!shape.success}
          busy={save.isPending}
          onPress={() => save.mutate({ record: place, change: moved ? { ...place, zone: undefined } : place })}
        />
        <Action title="This device's position" onPress={() => void here()} />
      </Row>
    </Panel>
  );
}

/** Starts the next shoot day at the same place, with a first setup in it. */
function NextDay({ day }: { day: ShootDay }) {
  const code = useProductionCode();
  const saveDay = useSave<Omit<ShootDay, 'version' | 'createdAt' | 'updatedAt'> & { version?: number }>('days');
  const saveSetup = useSave<NewSetup>('setups');
  const date = DateTime.fromISO(day.date).plus({ days: 1 }).toISODate()!;
  const start = () => {
    const id = crypto.randomUUID();
    saveDay.mutate(
      {
        record: {
          id,
          locationId: day.locationId,
          number: day.number + 1,
          date,
          unit: day.unit,
          callLocal: day.callLocal,
          wrapLocal: day.wrapLocal,
          weather: '',
        },
      },
      {
        onSuccess: () =>
          saveSetup.mutate(
            { record: newSetup(id, undefined) },
            { onSuccess: (s) => router.push(`/${code}/setup/${s.id}` as never) },
          ),
      },
    );
  };
  const error = saveDay.error ?? saveSetup.error;
  return (
    <Panel title="Next shoot day">
      <Text>{`Day ${day.number + 1}, ${date}, same place and hours.`}</Text>
      {error ? <Notice state="lost" title="The day was not made" detail={error.message} /> : null}
      <Row>
        <Action title={`Start day ${day.number + 1}`} busy={saveDay.isPending || saveSetup.isPending} onPress={start} />
      </Row>
    </Panel>
  );
}

/** How far each camera's clock is from true time; a photographed clock tells. */
function Clocks({ day }: { day: ShootDay }) {
  const clocks = useClocks(day.id);
  const save = useSave<Partial<CameraClock> & { id: string; version?: number }>('clocks');
  const [camera, setCamera] = useState('B');
  const [offsetS, setOffset] = useState(0);
  const known = clocks.data?.find((c) => c.camera === camera);
  return (
    <Panel title="Camera clocks">
      {(clocks.data ?? []).map((c) => (
        <Text
          key={c.id}
        >{`Camera ${c.camera}: ${c.offsetS === 0 ? 'right' : `${Math.abs(c.offsetS)} s ${c.offsetS > 0 ? 'fast' : 'slow'}`} ± ${c.uncertaintyS} s (${c.source})`}</Text>
      ))}
      <Choice
        label="Camera"
        options={['A', 'B', 'C', 'D'].map((c) => ({ value: c, title: `Camera ${c}` }))}
        value={camera}
        onChange={setCamera}
      />
      <Row wrap>
        <Stepper
          label="Camera clock minus true time"
          unit="s"
          value={offsetS}
          step={1}
          digits={1}
          onChange={setOffset}
        />
        <Action
          title="Save clock"
          busy={save.isPending}
          onPress={() =>
            save.mutate({
              record: known
                ? { ...known }
                : { id: crypto.randomUUID(), dayId: day.id, camera, offsetS, source: 'entered' },
              change: { offsetS, source: 'entered', referenceId: null, uncertaintyS: 1 },
            })
          }
        />
      </Row>
      <Text size="small" tone="quietInk">
        Photograph an exact clock with the camera: what its file says, less what the clock shows, is this number. Times
        read from files are corrected by it.
      </Text>
      {save.error ? <Notice state="lost" title="The clock was not saved" detail={save.error.message} /> : null}
    </Panel>
  );
}
