import { useState } from 'react';
import { View } from 'react-native';
import type { InstrumentRecord, Location, Reading } from '@tawny/contract';
import { READING_KINDS } from '@tawny/contract/setRecords';
import { useSave } from '../../data/queries';
import { clockKnown } from '../../data/time';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { Figure, Text } from '../../ui/Text';
import { InstantCells } from '../log/InstantCells';
import { meaningOf, otherUnit, STEP } from './readingFacts';

interface KeptProps {
  reading: Reading;
  instrument: InstrumentRecord | undefined;
  /** What it belongs to, by name. */
  at: string | undefined;
  location: Location;
  onRemove: () => void;
}

/** A reading as it is kept: what it means, how that comes about, and when it was read, which can still be said. */
export function KeptReading({ reading: r, instrument, at, location, onRemove }: KeptProps) {
  const [timing, setTiming] = useState(false);
  const m = meaningOf(r, instrument, location);
  const { title, unit } = READING_KINDS[r.kind];
  const digits = STEP[r.kind].digits;
  return (
    <Panel>
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
        <Row gap={2}>
          <Action title={timing ? 'Keep its time' : 'Say when'} onPress={() => setTiming(!timing)} />
          <Action title="Remove" onPress={onRemove} />
        </Row>
      </Row>
      <Text size="small" tone="quietInk">
        {[
          `${instrument?.name ?? 'no instrument named'} showed ${Number(r.shown.toPrecision(5))} ${unit}${otherUnit(r.kind, r.shown)}`,
          ...m.steps,
          at ? `at ${at}` : '',
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
      {timing ? <WhenRead reading={r} location={location} onKept={() => setTiming(false)} /> : null}
    </Panel>
  );
}

/** When it was read, by hand: from then on somebody has said so. */
function WhenRead({ reading, location, onKept }: { reading: Reading; location: Location; onKept: () => void }) {
  const [takenAt, setTakenAt] = useState(reading.takenAt);
  const save = useSave<Reading>('readings');
  return (
    <>
      <InstantCells of="this reading" at={takenAt} zone={location.zone} onChange={setTakenAt} />
      {save.error ? <Notice state="lost" title="Its time was not kept" detail={save.error.message} /> : null}
      <Row>
        <Action
          kind="main"
          title="It was read then"
          busy={save.isPending}
          onPress={() =>
            save.mutate({ record: reading, change: { takenAt, takenAtFrom: 'entered' } }, { onSuccess: onKept })
          }
        />
      </Row>
    </>
  );
}
