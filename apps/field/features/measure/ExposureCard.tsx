import { useRef, useState } from 'react';
import { View } from 'react-native';
import type { Scale, Calibration, Panorama, Plate, Take } from '@tawny/contract';
import { signed } from '@tawny/core/text/signed';
import { upload } from '../../data/api';
import { useJob, usePlates, useProductionCode, useOperation, useRenew, stageOf } from '../../data/queries';
import { Action } from '../../ui/Action';
import { AgreementBars } from '../../ui/AgreementBars';
import { Notice } from '../../ui/Notice';
import { Panel, Reading, Row } from '../../ui/Panel';
import type { StripRect } from '../../ui/panorama/stripView';
import { PICTURE_FILES } from '../../ui/pickFiles';
import { Progress } from '../../ui/Progress';
import { StateMark } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { DecodingOf } from '../decodings/DecodingOf';
import { TakeChoice } from './TakeChoice';
import { PlateMarker } from './PlateMarker';

interface ExposureCardProps {
  panorama: Panorama;
  calibration: Calibration | null;
  takes: Take[];
  panoramaMark: StripRect | null;
  marking: boolean;
  onMarking: (on: boolean) => void;
}

/** Gain to the plate by the grey card, beside the gain that metadata predicts. */
export function ExposureCard({ panorama, calibration, takes, panoramaMark, marking, onMarking }: ExposureCardProps) {
  const [takeId, setTakeId] = useState(takes[0]?.id);
  const plates = usePlates(takeId);
  const plate = plates.data?.[0];
  const [plateMark, setPlateMark] = useState<StripRect | null>(null);
  const measure = useOperation('panoramas.card', { id: panorama.id });
  const gain = calibration?.scale ?? null;
  const stale = (calibration?.basis.changed.length ?? 0) > 0;
  if (takes.length === 0) {
    return (
      <Panel title="Exposure">
        <Notice
          state="open"
          title="No take to calibrate to"
          detail="Log a take of this setup first: the plate's exposure comes from it."
        />
      </Panel>
    );
  }
  const ready = plate?.decoding.decoding && plateMark && panoramaMark;
  const todo = !plate
    ? 'A plate frame with the grey card in it is needed.'
    : !plateMark
      ? 'Drag a rectangle inside the grey card in the plate.'
      : !panoramaMark
        ? 'Now mark the same card in the panorama.'
        : !plate.decoding.decoding
          ? 'Both cards are marked; state what the code values of the plate mean.'
          : 'Both cards are marked.';
  return (
    <Panel
      title="Exposure"
      aside={
        <StateMark
          state={gain ? (gain.verdict === 'agrees' && !stale ? 'complete' : 'doubtful') : 'open'}
          word={gain ? (stale ? 'Stale' : gain.verdict === 'agrees' ? 'Agrees' : 'Doubtful') : 'Not measured'}
        />
      }
    >
      {gain ? <GainResult gain={gain} /> : null}
      <TakeChoice label="Take" takes={takes} value={takeId} onChange={setTakeId} />
      {plate ? (
        <View style={{ gap: SPACE(2) }}>
          <PlateMarker plate={plate} mark={plateMark} onMark={setPlateMark} />
          <Text
            size="small"
            tone="quietInk"
          >{`${plate.name} · ${plate.widthPx} × ${plate.heightPx} px, ${plate.bits} bit · shutter and EI from ${plate.exposureSource === 'file' ? 'the file' : 'the log'}, stop and ND from the log`}</Text>
        </View>
      ) : null}
      {plate ? <PlateDecoding plate={plate} /> : null}
      <PlateSource takeId={takeId} has={Boolean(plate)} />
      <Text testID="card-todo">{todo}</Text>
      {measure.error ? <Notice state="lost" title="The gain was not measured" detail={measure.error.message} /> : null}
      <Row wrap>
        {plate ? (
          <Action
            grow
            kind={plateMark && !panoramaMark ? 'main' : 'quiet'}
            title={marking ? 'Stop marking' : 'Mark the card in the panorama'}
            onPress={() => onMarking(!marking)}
          />
        ) : null}
        {gain && stale ? (
          <Action
            grow
            title="Measure again with the same marks"
            busy={measure.isPending}
            onPress={() => {
              const { plateId, plateRect, panoramaRect } = gain.card;
              measure.mutate({ plateId, plateRect, panoramaRect });
            }}
          />
        ) : null}
        {ready ? (
          <Action
            grow
            kind="main"
            title="Measure the gain"
            busy={measure.isPending}
            onPress={() =>
              measure.mutate(
                { plateId: plate.id, plateRect: plateMark, panoramaRect: panoramaMark },
                { onSuccess: () => onMarking(false) },
              )
            }
          />
        ) : null}
      </Row>
    </Panel>
  );
}

function GainResult({ gain }: { gain: Scale }) {
  const { adopted, sources } = gain;
  const [card, metadata] = sources;
  const disagreement = card.value - metadata.value;
  return (
    <View style={{ gap: SPACE(3) }}>
      <Row wrap gap={5}>
        <Reading label="Gain, plate over panorama">
          <Figure
            value={adopted.value.toFixed(2)}
            unit="stop"
            plusMinus={adopted.uncertainty?.toFixed(2)}
            size="figure"
            testID="gain-stops"
          />
        </Reading>
        <Reading label="Card against metadata">
          <Figure value={signed(disagreement, 2)} unit="stop" size="large" testID="gain-disagreement" />
        </Reading>
        <Reading label="Per channel R G B">
          <Figure value={gain.card.channelStops.map((s) => s.toFixed(2)).join('  ')} unit="stop" size="body" />
        </Reading>
      </Row>
      <AgreementBars
        unit="stop"
        adopted={adopted.value}
        sources={sources.map(({ name, value, uncertainty }) => ({ name, value, plusMinus: uncertainty }))}
      />
      {gain.verdict === 'disagrees' ? (
        <Notice
          state="doubtful"
          title={`The card is ${Math.abs(disagreement).toFixed(2)} stop ${disagreement > 0 ? 'above' : 'below'} what metadata predicts`}
          detail="Was an ND forgotten or left in on the take or the rig, or is something else marked than the card?"
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

/** The simulated plate camera, or a frame from a card. */
function PlateSource({ takeId, has }: { takeId: string; has: boolean }) {
  const code = useProductionCode();
  const renew = useRenew();
  const job = useJob(takeId, 'simulatePlate');
  const shoot = useOperation('plates.simulate', { id: takeId });
  const input = useRef<HTMLInputElement>(null);
  const [progress, setProgress] = useState<number | null>(null);
  const [error, setError] = useState<string | null>(null);
  const busy = job.data?.state === 'queued' || job.data?.state === 'running';
  const send = async (files: File[]) => {
    setError(null);
    setProgress(0);
    try {
      await upload('plates.upload', { params: { production: code, id: takeId } }, files.slice(0, 1), setProgress);
    } catch (e) {
      setError((e as Error).message);
    }
    setProgress(null);
    await renew('plates.upload');
  };
  return (
    <View style={{ gap: SPACE(2) }}>
      {busy ? <Progress stage={stageOf(job.data!)} fraction={job.data!.progress} /> : null}
      {progress !== null ? <Progress stage="Sending the plate" fraction={progress} /> : null}
      {job.data?.state === 'failed' ? (
        <Notice state="lost" title="The plate was not photographed" detail={job.data.error?.message} />
      ) : null}
      {error ? <Notice state="lost" title="The plate was not taken in" detail={error} /> : null}
      <input
        ref={input}
        type="file"
        accept={PICTURE_FILES}
        aria-label="Plate to upload"
        data-testid="plate-file"
        style={{ display: 'none' }}
        onChange={(e) => {
          const files = [...(e.target.files ?? [])];
          e.target.value = '';
          if (files.length > 0) void send(files);
        }}
      />
      <Row wrap>
        <Action
          grow
          kind={has ? 'quiet' : 'main'}
          title={has ? 'Photograph another plate' : 'Photograph the plate (simulated camera)'}
          busy={shoot.isPending || busy}
          onPress={() => shoot.mutate({})}
        />
        <Action grow title="Choose a plate file" onPress={() => input.current?.click()} />
      </Row>
    </View>
  );
}
