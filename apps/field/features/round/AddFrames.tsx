import { useState } from 'react';
import { View } from 'react-native';
import type { LightRound, RigStatement, Setup, UploadResult } from '@tawny/contract';
import { call } from '../../data/api';
import { useProductionCode, useOperation, useRenew } from '../../data/queries';
import { sendFrames, type Sending } from '../../data/sendFrames';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { PICTURE_FILES, pickFiles } from '../../ui/pickFiles';
import { Progress } from '../../ui/Progress';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { GuidedRound } from './GuidedRound';
import { ImportPanorama } from './ImportPanorama';

type Way = 'simulated' | 'phone' | 'fisheye' | 'latlong' | 'finished';

const WAYS: { value: Way; title: string }[] = [
  { value: 'fisheye', title: 'Fisheye frames' },
  { value: 'latlong', title: '360° frames' },
  { value: 'phone', title: 'This phone' },
  { value: 'finished', title: 'Finished panorama' },
  { value: 'simulated', title: 'Simulated camera' },
];

/** The ways by which light comes into a round. */
export function AddFrames({ round, setup }: { round: LightRound; setup: Setup }) {
  const [way, setWay] = useState<Way>(round.rig.projection === 'latlong' ? 'latlong' : 'fisheye');
  return (
    <Panel title="Get frames">
      <Choice label="Where the frames come from" options={WAYS} value={way} onChange={setWay} />
      {way === 'simulated' ? <Simulate round={round} setup={setup} /> : null}
      {way === 'fisheye' || way === 'latlong' ? (
        <UploadFrames key={way} round={round} latlong={way === 'latlong'} />
      ) : null}
      {way === 'phone' ? <GuidedRound round={round} /> : null}
      {way === 'finished' ? <ImportPanorama round={round} /> : null}
    </Panel>
  );
}

const SIZES = [
  { value: '1024', title: 'Quick, 0.7 Mpx' },
  { value: '3000', title: 'Full, 6 Mpx' },
];

function Simulate({ round, setup }: { round: LightRound; setup: Setup }) {
  const [width, setWidth] = useState('3000');
  const [views, setViews] = useState(6);
  const [frames, setFrames] = useState(7);
  const shoot = useOperation('rounds.simulate', { id: round.id });
  return (
    <View style={{ gap: SPACE(3) }}>
      <Text tone="quietInk">
        A stand-in for the real rig: it photographs the simulated {setup.kind === 'interior' ? 'net loft' : 'quay'} from
        this station, at the round's time, into ordinary JPEG files with ordinary metadata.
      </Text>
      <Row wrap>
        <Stepper
          label="Views"
          value={views}
          step={1}
          digits={0}
          onChange={(v) => setViews(Math.min(12, Math.max(3, Math.round(v))))}
        />
        <Stepper
          label="Frames a view"
          value={frames}
          step={1}
          digits={0}
          onChange={(v) => setFrames(Math.min(9, Math.max(1, Math.round(v))))}
        />
      </Row>
      <Choice label="Frame size" options={SIZES} value={width} onChange={setWidth} />
      {shoot.error ? <Notice state="lost" title="The camera did not start" detail={shoot.error.message} /> : null}
      <Row>
        <Action
          kind="main"
          grow
          title={`Photograph ${views} views × ${frames} frames`}
          busy={shoot.isPending}
          onPress={() => shoot.mutate({ views, frames, stepEv: 8 / 3, widthPx: Number(width) })}
        />
      </Row>
    </View>
  );
}

const PROJECTIONS: { value: RigStatement['projection']; title: string }[] = [
  { value: 'equidistant', title: 'Equidistant' },
  { value: 'equisolid', title: 'Equisolid' },
  { value: 'stereographic', title: 'Stereographic' },
  { value: 'orthographic', title: 'Orthographic' },
  { value: 'rectilinear', title: 'Rectilinear' },
];

function UploadFrames({ round, latlong }: { round: LightRound; latlong: boolean }) {
  const code = useProductionCode();
  const renew = useRenew();
  const [rig, setRig] = useState<RigStatement>(
    latlong
      ? { projection: 'latlong', fovDeg: 360, views: 1, ndStops: 0 }
      : {
          ...round.rig,
          projection: round.rig.projection === 'latlong' ? 'equidistant' : round.rig.projection,
          ndStops: round.rig.ndStops ?? 0,
        },
  );
  const [progress, setProgress] = useState<Sending | null>(null);
  const [result, setResult] = useState<UploadResult | null>(null);
  const [error, setError] = useState<string | null>(null);
  const send = async (files: File[]) => {
    if (files.length === 0) return;
    setError(null);
    setResult(null);
    setProgress({ fraction: 0, waiting: false });
    try {
      // The rig decides the exposures, so it is stated before the frames come.
      await call('rounds.change', {
        params: { production: code, id: round.id },
        body: { rig, version: round.version },
      });
      setResult(await sendFrames(code, round.id, files, setProgress));
    } catch (e) {
      setError((e as Error).message);
    }
    setProgress(null);
    await renew('rounds.addFrames');
  };
  return (
    <View style={{ gap: SPACE(3) }}>
      <Text tone="quietInk">
        {latlong
          ? 'A bracket of latitude-longitude frames, as a one-shot 360° camera writes them: one view, several exposures. JPEG, PNG, TIFF, OpenEXR, Radiance HDR or camera raw.'
          : 'Bracketed frames of all views, as the camera wrote them: JPEG, PNG, TIFF, OpenEXR or camera raw. Where a file does not tell its exposure, the pictures do. Views stand at equal heading steps.'}
      </Text>
      {latlong ? null : (
        <>
          <Choice
            label="Projection"
            options={PROJECTIONS}
            value={rig.projection}
            onChange={(projection) => setRig({ ...rig, projection })}
          />
          <Row wrap>
            <Stepper
              label="Field of view"
              unit="°"
              value={rig.fovDeg}
              step={1}
              digits={1}
              onChange={(fovDeg) => setRig({ ...rig, fovDeg })}
            />
            <Stepper
              label="Views"
              value={rig.views}
              step={1}
              digits={0}
              onChange={(v) => setRig({ ...rig, views: Math.max(1, Math.round(v)) })}
            />
          </Row>
          <Text size="small" tone="quietInk">
            The field of view spans the image circle when one is seen inside the frame, else the frame's long side.
          </Text>
        </>
      )}
      <Row wrap>
        <Stepper
          label="ND on the rig"
          unit="stops"
          value={rig.ndStops ?? 0}
          step={1}
          digits={1}
          onChange={(ndStops) => setRig({ ...rig, ndStops: Math.max(0, ndStops) })}
        />
      </Row>
      {progress !== null ? (
        <Progress
          stage={
            progress.waiting
              ? 'The connection broke off: sending again'
              : progress.fraction < 1
                ? 'Sending frames'
                : 'Checking frames'
          }
          fraction={progress.fraction}
        />
      ) : null}
      {error ? <Notice state="lost" title="No frame was taken in" detail={error} testID="upload-error" /> : null}
      {result ? (
        <Notice
          testID="upload-result"
          state={result.problems.length ? 'doubtful' : 'complete'}
          title={`${result.accepted.length} frames taken in${result.duplicates.length ? `, ${result.duplicates.length} were here already` : ''}${result.problems.length ? `, ${result.problems.length} refused` : ''}`}
          detail={result.problems.map((p) => p.message).join('. ') || undefined}
        />
      ) : null}
      <Row>
        <Action
          kind="main"
          grow
          title="Choose frames"
          busy={progress !== null}
          onPress={() => void pickFiles({ accept: PICTURE_FILES, multiple: true }).then(send)}
        />
      </Row>
    </View>
  );
}
