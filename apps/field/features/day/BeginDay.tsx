import { router } from 'expo-router';
import { DateTime } from 'luxon';
import { useState } from 'react';
import type { Location, ShootDay } from '@tawny/contract';
import { dayInput, locationInput } from '@tawny/contract/days';
import { useLocations, useProductionCode, useSave } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { faultIn, RecordForm } from '../../ui/RecordForm';
import { Text } from '../../ui/Text';
import { DAY_FIELDS, PLACE_FIELDS } from './fields';
import { newSetup, type NewSetup } from './newSetup';
import { useHere } from './useHere';

type NewLocation = Pick<Location, 'id' | 'name' | 'altitudeM'> & {
  latitudeDeg: number | null;
  longitudeDeg: number | null;
  version?: number;
};
type NewDay = Omit<ShootDay, 'version' | 'createdAt' | 'updatedAt' | 'locationId'> & { version?: number };

const NEW = 'new';
/** Of a new place nobody knows these until they are said. */
const COORDINATES = ['latitudeDeg', 'longitudeDeg'] as const;

/** A new shoot day: like the last one, a day later, or the first of a production; its place is one that is known, or new. */
export function BeginDay({ last }: { last: ShootDay | undefined }) {
  const code = useProductionCode();
  const locations = useLocations();
  const [chosen, setChosen] = useState<string | null>(last?.locationId ?? null);
  const [place, setPlace] = useState<NewLocation>(() => ({
    id: crypto.randomUUID(),
    name: '',
    latitudeDeg: null,
    longitudeDeg: null,
    altitudeM: 0,
  }));
  const [day, setDay] = useState<NewDay>(() => ({
    id: crypto.randomUUID(),
    number: (last?.number ?? 0) + 1,
    date: (last ? DateTime.fromISO(last.date).plus({ days: 1 }) : DateTime.now()).toISODate()!,
    unit: last?.unit ?? 'Main unit',
    callLocal: last?.callLocal ?? '08:00',
    wrapLocal: last?.wrapLocal ?? '19:00',
    weather: '',
  }));
  const savePlace = useSave<NewLocation>('locations');
  const saveDay = useSave<NewDay & { locationId: string }>('days');
  const saveSetup = useSave<NewSetup>('setups');
  const here = useHere(({ altitudeM, ...at }) =>
    setPlace((old) => ({ ...old, ...at, altitudeM: altitudeM ?? old.altitudeM })),
  );
  const known = locations.data ?? [];
  const at = chosen ?? known[0]?.id ?? NEW;
  const dayShape = dayInput.safeParse({ ...day, locationId: at === NEW ? place.id : at });
  const placeShape = locationInput.safeParse(place);
  const ready = dayShape.success && (at !== NEW || placeShape.success);
  const unsaid = [
    ...(place.name.trim() === '' ? ['the name of the place'] : []),
    ...(place.latitudeDeg === null ? ['latitude'] : []),
    ...(place.longitudeDeg === null ? ['longitude'] : []),
  ];
  const begin = async () => {
    // What is stored already is not stored again when a later step has to be tried once more.
    if (at === NEW) setChosen((await savePlace.mutateAsync({ record: place })).id);
    const locationId = at === NEW ? place.id : at;
    const { id } = await saveDay.mutateAsync({ record: { ...day, locationId } });
    const setup = await saveSetup.mutateAsync({ record: newSetup(id, undefined) });
    router.push(`/${code}/setup/${setup.id}` as never);
  };
  const error = savePlace.error ?? saveDay.error ?? saveSetup.error;
  return (
    <Panel title={last ? 'Next shoot day' : 'First shoot day'}>
      {last ? <Text tone="quietInk">{`As day ${last.number}, a day later; change what is different.`}</Text> : null}
      <Text strong>Where</Text>
      {known.length > 0 ? (
        <Choice
          label="Location"
          options={[...known.map((l) => ({ value: l.id, title: l.name })), { value: NEW, title: 'A new place' }]}
          value={at}
          onChange={setChosen}
        />
      ) : null}
      {at === NEW ? (
        <>
          <RecordForm
            fields={PLACE_FIELDS}
            value={place as Location}
            onChange={(part) => setPlace((p) => ({ ...p, ...part }))}
            unstated={COORDINATES.filter((c) => place[c] === null)}
            fault={(n) =>
              ['', null].includes(place[n as keyof NewLocation] as null) ? undefined : faultIn(placeShape, n)
            }
          />
          <Row wrap>
            <Action title="This device's position" onPress={() => void here.ask()} />
          </Row>
          {here.fault ? <Notice state="doubtful" title="No position from this device" detail={here.fault} /> : null}
          <Text size="small" tone="quietInk">
            The sun's place and the time zone are computed from these coordinates: a kilometre is enough for both.
            Altitude stands at 0 m until it is stated; it counts for refraction alone.
          </Text>
        </>
      ) : null}
      <Text strong>When</Text>
      <RecordForm
        fields={DAY_FIELDS}
        value={day}
        onChange={(part) => setDay((d) => ({ ...d, ...part }))}
        fault={(n) => faultIn(dayShape, n)}
      />
      {at === NEW && unsaid.length > 0 ? (
        <Text size="small" tone="quietInk" testID="day-unsaid">
          {`Still to be said: ${unsaid.join(', ')}.`}
        </Text>
      ) : null}
      {error ? <Notice state="lost" title="The day was not made" detail={error.message} /> : null}
      <Row>
        <Action
          kind="main"
          title={`Begin day ${day.number}`}
          disabled={!ready}
          busy={savePlace.isPending || saveDay.isPending || saveSetup.isPending}
          // What went wrong stands above.
          onPress={() => void begin().catch(() => undefined)}
        />
      </Row>
    </Panel>
  );
}
