import { useRef, useState } from 'react';
import { View } from 'react-native';
import { upload } from '../../data/api';
import { stageOf, useJob, useOperation, useProductionCode, useRenew } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { PICTURE_FILES } from '../../ui/pickFiles';
import { Progress } from '../../ui/Progress';
import { SPACE } from '../../ui/tokens';

/** A plate frame from a file, or the simulated plate camera's. */
export function PlateSource({ takeId, has }: { takeId: string; has: boolean }) {
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
        <Action grow kind={has ? 'quiet' : 'main'} title="Choose a plate file" onPress={() => input.current?.click()} />
        <Action
          grow
          title={has ? 'Another plate (simulated camera)' : 'Photograph the plate (simulated camera)'}
          busy={shoot.isPending || busy}
          onPress={() => shoot.mutate({})}
        />
      </Row>
    </View>
  );
}
