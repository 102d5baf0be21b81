import { useState } from 'react';
import { View } from 'react-native';
import { READING_KINDS } from '@tawny/contract/setRecords';
import { useInstruments, useReadings, useReferences, useRemove, useStations } from '../../data/queries';
import { clockKnown } from '../../data/time';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { NotRemoved } from '../../ui/NotRemoved';
import { Panel, Row } from '../../ui/Panel';
import { Figure, Text } from '../../ui/Text';
import { Waiting } from '../shell/Waiting';
import { NewReading, type PanelProps } from './NewReading';
import { meaningOf, otherUnit, STEP, tiesOf } from './readingFacts';

/** Readings of the set, and a new one. */
export function ReadingsPanel({ setup, day, location, takes }: PanelProps) {
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
      <NewReading setup={setup} day={day} location={location} takes={takes} instruments={instruments.data} />
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
                clockKnown(r.takenAt, r.takenAtFrom === 'assumed', location.zone),
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
