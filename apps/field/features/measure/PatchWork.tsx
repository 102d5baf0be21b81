import { useState, type MutableRefObject } from 'react';
import { View } from 'react-native';
import type { PanoramaCorners, Plate, PlateCorners, Take } from '@tawny/contract';
import { useOperation, usePlates } from '../../data/queries';
import { Action } from '../../ui/Action';
import type { FourCorners } from '../../ui/corners';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import type { StripView } from '../../ui/panorama/stripView';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { DecodingOf } from '../decodings/DecodingOf';
import { PlateMarker } from './PlateMarker';
import { PlateSource } from './PlateSource';
import { TakeChoice } from './TakeChoice';
import { FIRST_CORNER, PATCH_NAMES, type PatchKind, type PatchMarks } from './usePatchMarks';

/** What a measurement of a card or chart is asked with. */
export interface MarkedPatch {
  plateId: string;
  plateCorners: PlateCorners;
  panoramaCorners: PanoramaCorners;
}

interface PatchWorkProps {
  kind: PatchKind;
  panoramaId: string;
  takes: Take[];
  marks: PatchMarks;
  /** What is shown of the panorama, in its own frame. */
  looking: MutableRefObject<StripView | null>;
  /** Marks of a measurement that is stale. */
  again: MarkedPatch | null;
  /** What measuring is called. */
  title: string;
  busy: boolean;
  onMeasure: (marked: MarkedPatch) => void;
}

const plain = <T,>(corners: FourCorners) => corners.map((c) => [...c]) as T;

/** The same card or chart, marked in a take's plate and in the panorama: found by itself, or by its corners. */
export function PatchWork(p: PatchWorkProps) {
  const { kind, takes, marks } = p;
  const [takeId, setTakeId] = useState(takes[0].id);
  const plate = usePlates(takeId).data?.[0];
  const [plateMark, setPlateMark] = useState<FourCorners | null>(null);
  const name = PATCH_NAMES[kind];
  const inPanorama = marks.marks[kind];
  const stated = Boolean(plate?.decoding.decoding);
  const todo = !plate
    ? `A plate frame with the ${name} in it is needed.`
    : !plateMark
      ? kind === 'card'
        ? 'Drag a box over the grey card in the plate, then its corners onto the card’s.'
        : 'Let the chart be found, or drag a box over its patches in the plate and move the corners onto theirs.'
      : !inPanorama
        ? `Now mark the same ${kind} in the panorama.`
        : !stated
          ? `Both ${kind}s are marked; state what the code values of the plate mean.`
          : `Both ${kind}s are marked.`;
  const choose = (id: string) => {
    setTakeId(id);
    setPlateMark(null);
  };
  return (
    <>
      <TakeChoice label="Take" takes={takes} value={takeId} onChange={choose} />
      {plate ? (
        <View style={{ gap: SPACE(2) }}>
          <PlateMarker plate={plate} mark={plateMark} onMark={setPlateMark} what={name} first={FIRST_CORNER[kind]} />
          <Text
            size="small"
            tone="quietInk"
          >{`${plate.name} · ${plate.widthPx} × ${plate.heightPx} px, ${plate.bits} bit · shutter and EI from ${plate.exposureSource === 'file' ? 'the file' : 'the log'}, stop and ND from the log`}</Text>
        </View>
      ) : null}
      {plate ? <PlateDecoding plate={plate} /> : null}
      <PlateSource takeId={takeId} has={Boolean(plate)} />
      {kind === 'chart' && plate && stated ? (
        <FindChart {...p} plate={plate} onPlate={setPlateMark} marked={plateMark !== null && inPanorama !== null} />
      ) : null}
      <Text testID={`${kind}-todo`}>{todo}</Text>
      <Row wrap>
        {plate ? (
          <Action
            grow
            kind={plateMark && !inPanorama ? 'main' : 'quiet'}
            title={marks.marking === kind ? 'Stop marking' : `Mark the ${kind} in the panorama`}
            onPress={() => marks.mark(marks.marking === kind ? null : kind)}
          />
        ) : null}
        {p.again ? (
          <Action
            grow
            title="Measure again with the same marks"
            busy={p.busy}
            onPress={() => p.again && p.onMeasure(p.again)}
          />
        ) : null}
        {plate && stated && plateMark && inPanorama ? (
          <Action
            grow
            kind="main"
            title={p.title}
            busy={p.busy}
            onPress={() =>
              p.onMeasure({ plateId: plate.id, plateCorners: plain(plateMark), panoramaCorners: plain(inPanorama) })
            }
          />
        ) : null}
      </Row>
    </>
  );
}

/** Looks for the chart in the plate, and in what is shown of the panorama. */
function FindChart({
  panoramaId,
  plate,
  marks,
  looking,
  marked,
  onPlate,
}: PatchWorkProps & { plate: Plate; marked: boolean; onPlate: (corners: FourCorners) => void }) {
  const inPlate = useOperation('plates.findChart', { id: plate.id });
  const inPanorama = useOperation('panoramas.findChart', { id: panoramaId });
  const error = inPlate.error ?? inPanorama.error;
  const missed = [
    ...(inPlate.data && !inPlate.data.found ? ['the plate'] : []),
    ...(inPanorama.data && !inPanorama.data.found ? ['what is shown of the panorama'] : []),
  ];
  const find = () => {
    inPlate.mutate({}, { onSuccess: ({ found }) => found && onPlate(found.corners) });
    if (!looking.current) return;
    const { azimuthDeg, elevationDeg, spanDeg } = looking.current;
    inPanorama.mutate(
      { azimuthDeg, elevationDeg, spanDeg: Math.min(120, spanDeg) },
      { onSuccess: ({ found }) => found && marks.set('chart', found.corners) },
    );
  };
  return (
    <View style={{ gap: SPACE(2) }}>
      <Row>
        <Action
          grow
          kind={marked ? 'quiet' : 'main'}
          title="Find the chart in both"
          busy={inPlate.isPending || inPanorama.isPending}
          onPress={find}
        />
      </Row>
      {error ? <Notice state="lost" title="The chart was not looked for" detail={error.message} /> : null}
      {missed.length > 0 ? (
        <Notice
          state="doubtful"
          title={`No chart was found in ${missed.join(' and ')}`}
          detail="Turn the panorama to it and look closer, or mark its corners: the first is that of the patch of dark skin."
        />
      ) : null}
    </View>
  );
}

/** What the plate's code values mean, and who says so. */
function PlateDecoding({ plate }: { plate: Plate }) {
  const change = useOperation('plates.change', { id: plate.id });
  return (
    <DecodingOf
      stated={plate.decoding}
      busy={change.isPending}
      error={change.error}
      onState={(decoding) => change.mutate({ decoding, version: plate.version })}
    />
  );
}
