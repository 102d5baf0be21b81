import { useState } from 'react';
import { Image, Pressable, ScrollView, View } from 'react-native';
import { framesOfTimecode, parseTimecode, timecodeOfFrames } from '@tawny/core/camera/timecode';
import type { Clip } from '@tawny/contract';
import { ApiError, fileAddress, upload } from '../../data/api';
import { useClips, useCurves, useJob, usePlates, useProductionCode, useOperation, stageOf } from '../../data/queries';
import { clockSeconds } from '../../data/time';
import { Action } from '../../ui/Action';
import { Brackets } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { PICTURE_FILES, pickFiles } from '../../ui/pickFiles';
import { Row } from '../../ui/Panel';
import { Progress } from '../../ui/Progress';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { decodingWords } from '../decodings/decodingWords';

interface ClipPanelProps {
  takeId: string;
  /** The take's own time, and the zone of its place. */
  shotAt: string;
  zone: string;
  onTime: (at: string) => void;
}

/** The plate as a clip: a video or an image sequence, scrubbed along its frames; chosen frames become plate frames, its start the take's time. */
export function ClipPanel({ takeId, ...time }: ClipPanelProps) {
  const code = useProductionCode();
  const clips = useClips(takeId);
  const plates = usePlates(takeId);
  const [sending, setSending] = useState<number | null>(null);
  const [error, setError] = useState<ApiError | null>(null);
  const [waiting, setWaiting] = useState<File[]>([]);
  const send = async (files: File[], acceptHoles: boolean) => {
    if (files.length === 0) return;
    setError(null);
    setSending(0);
    try {
      await upload(
        'clips.upload',
        { params: { production: code, id: takeId }, query: acceptHoles ? { acceptHoles: 'true' } : {} },
        files,
        setSending,
      );
      setWaiting([]);
      await clips.refetch();
    } catch (e) {
      setWaiting(files);
      if (!(e instanceof ApiError)) throw e;
      setError(e);
    } finally {
      setSending(null);
    }
  };
  return (
    <View style={{ gap: 12 }}>
      <Row wrap>
        <Action
          title="Add a video or an image sequence"
          onPress={() =>
            void pickFiles({ multiple: true, accept: `video/*,${PICTURE_FILES}` }).then((f) => send(f, false))
          }
          busy={sending !== null}
        />
      </Row>
      {sending !== null ? <Progress stage="Sending the clip" fraction={sending} /> : null}
      {error ? (
        <Notice state="lost" title="The clip was not taken in" detail={error.message}>
          {error.problem.code === 'sequence-with-holes' ? (
            <Row>
              <Action title="Take it with the holes" onPress={() => void send(waiting, true)} />
            </Row>
          ) : null}
        </Notice>
      ) : null}
      {(clips.data ?? []).map((c) => (
        <View key={c.id} style={{ gap: 8 }}>
          <ClipFrames clip={c} onPlate={() => void plates.refetch()} onRead={() => void clips.refetch()} />
          <ClipTime clip={c} {...time} />
        </View>
      ))}
      {plates.data && plates.data.length > 0 ? (
        <Text
          size="small"
          tone="quietInk"
        >{`Plate frames of this take: ${plates.data.map((p) => p.name).join(', ')}`}</Text>
      ) : null}
    </View>
  );
}

/** So close a take's time is that of its clip. */
const SAME_MS = 1000;

/** When the clip began, and what that rests on; the take can take it over. */
function ClipTime({ clip, shotAt, zone, onTime }: { clip: Clip } & Omit<ClipPanelProps, 'takeId'>) {
  if (!clip.startsAtFrom) return null;
  if (!clip.startsAt)
    return <Text size="small" tone="quietInk">{`When it began is missing: ${clip.startsAtFrom}.`}</Text>;
  const { startsAt } = clip;
  const same = Math.abs(Date.parse(startsAt) - Date.parse(shotAt)) < SAME_MS;
  return (
    <>
      <Text size="small" tone="quietInk" testID="clip-began">
        {`Began ${clockSeconds(startsAt, zone)}: ${clip.startsAtFrom}.${same ? ' The take’s time is the same.' : ` The log says ${clockSeconds(shotAt, zone)}.`}`}
      </Text>
      {same ? null : (
        <Row>
          <Action title="Take its time for the take" onPress={() => onTime(startsAt)} />
        </Row>
      )}
    </>
  );
}

function ClipFrames({ clip, onPlate, onRead }: { clip: Clip; onPlate: () => void; onRead: () => void }) {
  const code = useProductionCode();
  const { palette } = useTheme();
  const curves = useCurves().data ?? [];
  const [frame, setFrame] = useState(0);
  const job = useJob(clip.stripFrames.length === 0 ? clip.id : undefined, 'readClip');
  const make = useOperation('clips.plate', { id: clip.id });
  const timecode = (n: number) => {
    if (!clip.startTimecode) return `frame ${n}`;
    const start = parseTimecode(clip.startTimecode, clip.fps);
    return timecodeOfFrames(framesOfTimecode(start, clip.fps) + n, clip.fps, start.dropFrame);
  };
  const running = job.data && (job.data.state === 'queued' || job.data.state === 'running');
  if (clip.stripFrames.length === 0 && job.data?.state === 'done') onRead();
  return (
    <View style={{ gap: 8 }}>
      <Text strong>{clip.name}</Text>
      <Text
        size="small"
        tone="quietInk"
      >{`${clip.kind} · ${clip.widthPx} × ${clip.heightPx} px · ${clip.frames} frames at ${Number(clip.fps.toFixed(3))} fps${clip.startTimecode ? ` · from ${clip.startTimecode}` : ' · no timecode'}`}</Text>
      <Text size="small" tone="quietInk">
        {clip.decoding.decoding
          ? `Code values: ${decodingWords(clip.decoding.decoding, curves)} (${clip.decoding.source})`
          : `Code values: not stated (${clip.decoding.source}); asked when a plate frame is measured`}
      </Text>
      {running ? <Progress stage={stageOf(job.data!)} fraction={job.data!.progress} /> : null}
      {job.data?.error ? (
        <Notice state="lost" title="The frames of the clip could not be read" detail={job.data.error.message} />
      ) : null}
      <ScrollView
        horizontal
        style={{ backgroundColor: palette.surround }}
        contentContainerStyle={{ gap: 4, padding: 6 }}
        role="list"
        aria-label={`Frames of the clip ${clip.name}`}
      >
        {clip.stripFrames.map((n) => (
          <Pressable
            key={n}
            role="button"
            aria-pressed={n === frame}
            aria-label={timecode(n)}
            onPress={() => setFrame(n)}
            style={{ padding: 3 }}
          >
            <Image
              source={{ uri: fileAddress('clips.frame', { production: code, id: clip.id, number: n }) }}
              style={{ width: 128, aspectRatio: clip.widthPx / clip.heightPx }}
              accessibilityLabel={timecode(n)}
            />
            {n === frame ? <Brackets colour={palette.onSurround} /> : null}
          </Pressable>
        ))}
      </ScrollView>
      <Row wrap>
        <Stepper
          label="Frame"
          value={frame}
          step={1}
          digits={0}
          onChange={(v) => setFrame(Math.max(0, Math.min(clip.frames - 1, Math.round(v))))}
        />
        <Figure value={timecode(frame)} size="large" />
        <Action
          title="Make it a plate frame"
          busy={make.isPending}
          onPress={() => make.mutate({ frame }, { onSuccess: onPlate })}
        />
      </Row>
      {make.error ? <Notice state="lost" title="The frame was not taken" detail={make.error.message} /> : null}
    </View>
  );
}
