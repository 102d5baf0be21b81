import { useState } from 'react';
import { View } from 'react-native';
import { useInstruments, useReadings, useReferences, useRemove, useStations } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { NotRemoved } from '../../ui/NotRemoved';
import { Row } from '../../ui/Panel';
import { Waiting } from '../shell/Waiting';
import { KeptReading } from './KeptReading';
import { NewReading, type PanelProps } from './NewReading';
import { tiesOf } from './readingFacts';

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
  const ties = tiesOf(stations.data ?? [], takes, references.data ?? []);
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
      {readings.data.map((r) => (
        <KeptReading
          key={r.id}
          reading={r}
          instrument={instruments.data.find((i) => i.id === r.instrumentId)}
          at={
            ties.find(
              (t) =>
                t.value !== 'setup' &&
                (t.stationId ?? t.takeId ?? t.referenceId) === (r.referenceId ?? r.takeId ?? r.stationId),
            )?.title
          }
          location={location}
          onRemove={() => removal.remove(r, { onSuccess: () => setGone(r.id) })}
        />
      ))}
    </View>
  );
}
