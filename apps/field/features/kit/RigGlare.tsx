import { useState } from 'react';
import { View } from 'react-native';
import type { PanoramaRig } from '@tawny/contract';
import { glarePerSr, glareShare } from '@tawny/core/merge/glare';
import { upload } from '../../data/api';
import { useJob, useProductionCode, stageOf } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { PICTURE_FILES, pickFiles } from '../../ui/pickFiles';
import { Progress } from '../../ui/Progress';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

const ANGLES = [5, 20, 60];

/** Veiling glare of a rig: two brackets of one look, the sun seen and covered. What was measured is taken out of every panorama to come. */
export function RigGlare({ rig }: { rig: PanoramaRig }) {
  const code = useProductionCode();
  const job = useJob(rig.id, 'measureGlare');
  const [seen, setSeen] = useState<File[]>([]);
  const [covered, setCovered] = useState<File[]>([]);
  const [coverDeg, setCoverDeg] = useState(5);
  const [sending, setSending] = useState<number | null>(null);
  const [error, setError] = useState<string | null>(null);
  const glare = rig.statement.glare;
  const working = job.data && (job.data.state === 'queued' || job.data.state === 'running') ? job.data : null;
  const measure = async () => {
    setError(null);
    setSending(0);
    try {
      const parts = [
        ...seen.map((file) => ({ field: 'seen', file })),
        ...covered.map((file) => ({ field: 'covered', file })),
      ];
      await upload(
        'rigs.measureGlare',
        { params: { production: code, id: rig.id }, query: { coverDeg } },
        parts,
        setSending,
      );
      await job.refetch();
    } catch (e) {
      setError((e as Error).message);
    } finally {
      setSending(null);
    }
  };
  const pick = async (take: (files: File[]) => void) =>
    take(await pickFiles({ accept: PICTURE_FILES, multiple: true }));
  const failure = error ?? (job.data?.state === 'failed' ? job.data.error?.message : undefined);
  return (
    <View style={{ gap: SPACE(2) }}>
      <Text strong heading={3}>
        Veiling glare
      </Text>
      {glare ? (
        <View testID="rig-glare">
          <Figure value={(100 * glareShare(glare.curve)).toFixed(1)} unit="% of a light is spread" />
          <Text
            size="small"
            tone="quietInk"
          >{`${ANGLES.map((a) => `${(100 * glarePerSr(glare.curve, a)).toPrecision(2)} % a steradian at ${a}°`).join(', ')}; measured ${glare.measuredOn ?? 'at an unknown date'}. Taken out of what is built with this rig.`}</Text>
        </View>
      ) : (
        <Text size="small" tone="quietInk">
          Not measured: panoramas state only how large it can be. Photograph one view twice without moving the rig, the
          sun in the picture, then hidden behind something small at arm's length.
        </Text>
      )}
      <Row wrap>
        <Action
          title={seen.length === 0 ? 'Frames, sun seen' : `${seen.length} frames, sun seen`}
          onPress={() => void pick(setSeen)}
        />
        <Action
          title={covered.length === 0 ? 'Frames, sun covered' : `${covered.length} frames, sun covered`}
          onPress={() => void pick(setCovered)}
        />
      </Row>
      {seen.length > 0 && covered.length > 0 ? (
        <Row wrap style={{ alignItems: 'flex-end' }}>
          <Stepper
            label="The cover hides, around the sun"
            unit="°"
            value={coverDeg}
            step={1}
            digits={0}
            onChange={(v) => setCoverDeg(Math.max(2, Math.min(40, Math.round(v))))}
          />
          <Action
            kind="main"
            title="Measure the glare"
            busy={sending !== null || working !== null}
            onPress={() => void measure()}
          />
        </Row>
      ) : null}
      {sending !== null ? <Progress stage="Sending" fraction={sending} /> : null}
      {working ? <Progress stage={stageOf(working)} fraction={working.progress} /> : null}
      {failure ? (
        <Notice state="lost" title="The glare was not measured" detail={failure} testID="glare-error" />
      ) : null}
    </View>
  );
}
