import { useState, type MutableRefObject } from 'react';
import { View } from 'react-native';
import type { PanoramaCorners, Plate, PlateCorners, Take } from '@tawny/contract';
import { wrap180 } from '@tawny/core/sphere/direction';
import { useOperation, usePlates } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import type { FourCorners } from '../../ui/corners';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import type { StripView } from '../../ui/panorama/stripView';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { DecodingOf } from '../decodings/DecodingOf';
import { PlateChoice, usePicturesOfTake } from './PlateChoice';
import { PlateMarker } from './PlateMarker';
import { PlateSource } from './PlateSource';
import { TakeChoice } from './TakeChoice';
import { plainCorners } from './plainCorners';
import { RegionPairs } from './RegionPairs';
import { SurfaceGain } from './SurfaceGain';
import { useWhichOfKit, WhichOfKit } from './WhichOfKit';
import { FIRST_CORNER, NO_MARKS, PATCH_NAMES, type PatchKind, type PatchMarks } from './usePatchMarks';

/** What a measurement of a card or chart is asked with. */
interface MarkedPatch {
  plateId: string;
  plateCorners: PlateCorners;
  panoramaCorners: PanoramaCorners;
  /** Which of the kit's it is; null: the only one there is. */
  referenceObjectId: string | null;
}

interface PatchPanelProps {
  panoramaId: string;
  takes: Take[];
  /** The take that is asked for; else the newest in the panorama's light, else the newest. */
  asked?: string;
  lightCondition: string;
  marks: PatchMarks;
  /** What is shown of the panorama, in its own frame. */
  looking: MutableRefObject<StripView | null>;
  /** Where a take's plate looks, an azimuth in the panorama's own frame; null while north or its heading is not known. */
  facing: (take: Take) => number | null;
}

/** Things that stand near are seen from the station this far beside where the plate looks: who turned so far has found them. */
const BESIDE_DEG = 45;
const KINDS = [
  { value: 'card', title: 'Grey card' },
  { value: 'chart', title: 'Chart' },
  { value: 'region', title: 'Regions' },
  { value: 'surface', title: 'Plate alone' },
] as const;
const WHITES = [
  { value: 'kept', title: 'White kept' },
  { value: 'free', title: 'Least difference' },
] as const;

const IN_PLATE: Record<PatchKind, string> = {
  card: 'Drag a box over the grey card in the plate, then its corners onto the card’s.',
  chart: 'Let the chart be found, or drag a box over its patches in the plate and move the corners onto theirs.',
  surface: 'Without a card in the panorama: drag a box over a ball or a card that the plate shows.',
  region: 'Without a chart: drag a box over something even in the plate that the panorama shows as well.',
};
/** What a plate that lacks it is needed for. */
const NEEDED: Record<PatchKind, string> = {
  card: 'the grey card',
  chart: 'the chart',
  region: 'things that the panorama shows',
  surface: 'a ball or a card',
};

/** What there is to do next. */
function todoWords(kind: PatchKind, plate: Plate | undefined, inPlate: boolean, inPanorama: boolean): string {
  if (!plate) return `A plate frame with ${NEEDED[kind]} in it is needed.`;
  if (!inPlate) return IN_PLATE[kind];
  if (kind === 'surface')
    return plate.decoding.decoding ? 'It is marked.' : 'It is marked; state what the code values of the plate mean.';
  if (!inPanorama) return `Now mark the same ${kind} in the panorama.`;
  return plate.decoding.decoding
    ? `Both ${kind}s are marked.`
    : `Both ${kind}s are marked; state what the code values of the plate mean.`;
}

/** A take's plate, and in it and in the panorama the same card or chart: found by itself, or by its corners; what they tell is measured. */
export function PatchPanel({ panoramaId, takes, asked, lightCondition, marks, looking, facing }: PatchPanelProps) {
  const [kind, setKind] = useState<PatchKind>('card');
  const [takeId, setTakeId] = useState(
    () => (takes.find((t) => t.id === asked) ?? takes.find((t) => t.lightCondition === lightCondition) ?? takes[0]).id,
  );
  const plates = usePlates(takeId).data ?? [];
  const [plateId, setPlateId] = useState<string | null>(null);
  const pictures = usePicturesOfTake({ setupId: takes[0].setupId, takeId, plates, kind });
  const plate =
    plates.find((p) => p.id === plateId) ?? pictures.photographs.find((p) => p.plate)?.plate ?? pictures.plates[0];
  const [inPlate, setInPlate] = useState(NO_MARKS);
  const which = useWhichOfKit(kind === 'card' ? 'greyCard' : kind === 'chart' ? 'chart' : null);
  const [white, setWhite] = useState<'kept' | 'free'>('kept');
  const card = useOperation('panoramas.card', { id: panoramaId });
  const chart = useOperation('panoramas.colour', { id: panoramaId });
  const [marked, inPanorama] = [inPlate[kind], marks.marks[kind]];
  const stated = Boolean(plate?.decoding.decoding);
  const busy = card.isPending || chart.isPending;
  const mark = (corners: FourCorners | null) => setInPlate((all) => ({ ...all, [kind]: corners }));
  const taken = () => {
    mark(null);
    marks.set(kind, null);
    marks.mark(null);
  };
  /** What the plate shows stands where it looks: the panorama is turned there, unless that is seen already. */
  const markInPanorama = () => {
    marks.mark(kind);
    const take = takes.find((t) => t.id === takeId);
    const azimuthDeg = take && !inPanorama ? facing(take) : null;
    if (azimuthDeg === null || !looking.current) return;
    if (Math.abs(wrap180(azimuthDeg - looking.current.azimuthDeg)) > Math.max(BESIDE_DEG, looking.current.spanDeg / 2))
      marks.turnTo({ azimuthDeg, elevationDeg: 0 });
  };
  const measure = () => {
    if (!plate || !marked || !inPanorama) return;
    const both: MarkedPatch = {
      plateId: plate.id,
      plateCorners: plainCorners(marked),
      panoramaCorners: plainCorners(inPanorama),
      referenceObjectId: which.id,
    };
    const done = { onSuccess: () => marks.mark(null) };
    if (kind === 'card') card.mutate(both, done);
    else chart.mutate({ ...both, keepWhite: white === 'kept' }, done);
  };
  return (
    <Panel title="Plate">
      <Choice
        label="What is marked"
        options={KINDS}
        value={kind}
        onChange={(to) => {
          setKind(to);
          marks.mark(null);
        }}
      />
      <TakeChoice
        label="Take"
        takes={takes}
        value={takeId}
        onChange={(id) => {
          setTakeId(id);
          setInPlate(NO_MARKS);
        }}
      />
      <PlateChoice
        key={takeId}
        pictures={pictures}
        value={plate?.id}
        onChoose={(id) => {
          setPlateId(id);
          setInPlate(NO_MARKS);
        }}
      />
      {plate ? (
        <PlateMarker plate={plate} mark={marked} onMark={mark} what={PATCH_NAMES[kind]} first={FIRST_CORNER[kind]} />
      ) : null}
      <Text testID={`${kind}-todo`}>{todoWords(kind, plate, marked !== null, inPanorama !== null)}</Text>
      {kind === 'chart' && plate && stated ? (
        <FindChart
          {...{ panoramaId, plate, marks, looking }}
          onPlate={mark}
          marked={marked !== null && inPanorama !== null}
        />
      ) : null}
      {card.error ? <Notice state="lost" title="The gain was not measured" detail={card.error.message} /> : null}
      {chart.error ? <Notice state="lost" title="The colours were not matched" detail={chart.error.message} /> : null}
      {marked && inPanorama ? <WhichOfKit {...which} /> : null}
      {kind === 'chart' && marked && inPanorama ? (
        <Choice label="Which white" options={WHITES} value={white} onChange={setWhite} />
      ) : null}
      {kind === 'region' && plate && stated ? (
        <RegionPairs
          key={plate.id}
          panoramaId={panoramaId}
          plateId={plate.id}
          marked={marked && inPanorama ? { inPlate: marked, inPanorama } : null}
          onTaken={taken}
        />
      ) : null}
      {kind === 'surface' && plate && stated ? (
        <SurfaceGain key={plate.id} {...{ panoramaId, marked }} plateId={plate.id} />
      ) : null}
      {plate && kind !== 'surface' ? (
        <Row wrap>
          <Action
            grow
            kind={marked && !inPanorama ? 'main' : 'quiet'}
            title={marks.marking === kind ? 'Stop marking' : `Mark the ${kind} in the panorama`}
            onPress={() => (marks.marking === kind ? marks.mark(null) : markInPanorama())}
          />
          {stated && marked && inPanorama && kind !== 'region' ? (
            <Action
              grow
              kind="main"
              title={kind === 'card' ? 'Measure the gain' : 'Match the colours'}
              busy={busy}
              onPress={measure}
            />
          ) : null}
        </Row>
      ) : null}
      {plate ? (
        <Text
          size="small"
          tone="quietInk"
        >{`${plate.name} · ${plate.widthPx} × ${plate.heightPx} px, ${plate.bits === 32 ? 'floating point' : `${plate.bits} bit`} · shutter and EI from ${plate.exposureSource === 'file' ? 'the file' : 'the log'}, stop and ND from the log`}</Text>
      ) : null}
      {plate ? <PlateDecoding plate={plate} /> : null}
      <PlateSource takeId={takeId} has={Boolean(plate)} />
    </Panel>
  );
}

/** Looks for the chart in the plate, and in the panorama: first in what is shown of it. */
function FindChart({
  panoramaId,
  plate,
  marks,
  looking,
  marked,
  onPlate,
}: Pick<PatchPanelProps, 'panoramaId' | 'marks' | 'looking'> & {
  plate: Plate;
  marked: boolean;
  onPlate: (corners: FourCorners) => void;
}) {
  const inPlate = useOperation('plates.findChart', { id: plate.id });
  const inPanorama = useOperation('panoramas.findChart', { id: panoramaId });
  const error = inPlate.error ?? inPanorama.error;
  const missed = [
    ...(inPlate.data && !inPlate.data.found ? ['the plate'] : []),
    ...(inPanorama.data && !inPanorama.data.found ? ['the panorama'] : []),
  ];
  const find = () => {
    inPlate.mutate({}, { onSuccess: ({ found }) => found && onPlate(found.corners) });
    if (!looking.current) return;
    const { azimuthDeg, elevationDeg, spanDeg } = looking.current;
    inPanorama.mutate(
      { azimuthDeg, elevationDeg, spanDeg: Math.min(120, spanDeg) },
      {
        onSuccess: ({ found }) => {
          if (!found) return;
          marks.set('chart', found.corners);
          marks.turnTo({ azimuthDeg: found.corners[0][0], elevationDeg: found.corners[0][1] });
        },
      },
    );
  };
  return (
    <View style={{ gap: SPACE(2) }}>
      <Row>
        <Action
          grow
          kind={marked || missed.length > 0 ? 'quiet' : 'main'}
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
          detail="Mark its corners: the first is that of the patch of dark skin."
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
