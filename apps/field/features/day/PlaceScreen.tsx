import { router } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import { magneticDeclinationDeg } from '@tawny/core/orient/declination';
import type { Location, ShootDay } from '@tawny/contract';
import { dayInput, locationInput } from '@tawny/contract/days';
import { useClockOwners } from '../../data/clockOwners';
import { useDays, useProductionCode, useSave, useSetups } from '../../data/queries';
import { useSetup } from '../../data/setup';
import { shortDate } from '../../data/time';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { faultIn, RecordForm } from '../../ui/RecordForm';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { Waiting } from '../shell/Waiting';
import { BeginDay } from './BeginDay';
import { DAY_FIELDS, PLACE_FIELDS } from './fields';
import { useHere } from './useHere';

/** The day and the place it happens at. */
export function PlaceScreen() {
  const { day, location, error } = useSetup();
  const newest = useDays().data?.[0];
  if (!day || !location) return <Waiting error={error} what="the day" />;
  return (
    <View style={{ gap: SPACE(4) }}>
      <Text size="title" strong heading={1}>
        {`Day ${day.number} and ${location.name}`}
      </Text>
      <Days day={day} />
      <DayForm key={`${day.id}${day.version}`} stored={day} />
      <PlaceForm key={`${location.id}${location.version}`} stored={location} date={day.date} />
      <Clocks day={day} />
      <BeginDay key={newest?.id} last={newest} />
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
        fault={(n) => faultIn(shape, n)}
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
  const [point, setPoint] = useState({ bearingDeg: 180, elevationDeg: 5 });
  const save = useSave<Location>('locations');
  const shape = locationInput.safeParse(place);
  const moved = place.latitudeDeg !== stored.latitudeDeg || place.longitudeDeg !== stored.longitudeDeg;
  const here = useHere(({ altitudeM, ...at }) =>
    setPlace((old) => ({ ...old, ...at, altitudeM: altitudeM ?? old.altitudeM })),
  );
  return (
    <Panel title="Location">
      <RecordForm
        fields={PLACE_FIELDS}
        value={place}
        onChange={(part) => setPlace((l) => ({ ...l, ...part }))}
        fault={(n) => faultIn(shape, n)}
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
      {here.fault ? <Notice state="doubtful" title="No position from this device" detail={here.fault} /> : null}
      {save.error ? <Notice state="lost" title="The location was not saved" detail={save.error.message} /> : null}
      <Row wrap>
        <Action
          kind="main"
          title="Save location"
          disabled={!shape.success}
          busy={save.isPending}
          onPress={() => save.mutate({ record: place, change: moved ? { ...place, zone: undefined } : place })}
        />
        <Action title="This device's position" onPress={() => void here.ask()} />
      </Row>
    </Panel>
  );
}

/** The shoot days of the production; the one that is looked at stands in brackets. */
function Days({ day }: { day: ShootDay }) {
  const code = useProductionCode();
  const days = useDays();
  const setups = useSetups();
  const firstOf = (id: string) => setups.data?.find((s) => s.dayId === id);
  const open = (id: string) => {
    const first = firstOf(id);
    if (first) router.push(`/${code}/day?setup=${first.id}` as never);
  };
  return (
    <Panel title="Shoot days">
      <Choice
        label="Shoot day"
        options={(days.data ?? [])
          .filter((d) => firstOf(d.id))
          .sort((a, b) => a.date.localeCompare(b.date))
          .map((d) => ({ value: d.id, title: `Day ${d.number} · ${shortDate(d.date)}` }))}
        value={day.id}
        onChange={open}
      />
    </Panel>
  );
}

/** How far each camera's clock is from true time; a photographed clock tells. */
function Clocks({ day }: { day: ShootDay }) {
  const { clocks, nameOf, options, knownOf, save, set } = useClockOwners(day.id);
  const [chosen, choose] = useState<string | null>(null);
  const value = chosen ?? options.find((o) => !knownOf(o.value))?.value ?? options[0].value;
  const [entered, enter] = useState<number | null>(null);
  const offsetS = entered ?? knownOf(value)?.offsetS ?? 0;
  return (
    <Panel title="Camera clocks">
      {clocks.map((c) => (
        <Text
          key={c.id}
        >{`${nameOf(c)}: ${c.offsetS === 0 ? 'right' : `${Math.abs(c.offsetS)} s ${c.offsetS > 0 ? 'fast' : 'slow'}`} ± ${c.uncertaintyS} s (${c.source})`}</Text>
      ))}
      <Choice
        label="Camera"
        options={options}
        value={value}
        onChange={(next) => {
          choose(next);
          enter(null);
        }}
      />
      <Row wrap>
        <Stepper
          label="Camera clock minus true time"
          signed
          unit="s"
          value={offsetS}
          step={1}
          digits={1}
          onChange={enter}
        />
        <Action
          title="Save clock"
          busy={save.isPending}
          onPress={() => set(value, { offsetS, source: 'entered', referenceId: null, uncertaintyS: 1 })}
        />
      </Row>
      <Text size="small" tone="quietInk">
        Photograph an exact clock with the camera: what its file says, less what the clock shows, is this number. Times
        read from files are corrected by it, also of rounds that were shot before.
      </Text>
      {save.error ? <Notice state="lost" title="The clock was not saved" detail={save.error.message} /> : null}
    </Panel>
  );
}
