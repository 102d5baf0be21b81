import { useEffect, useMemo, useRef, useState } from 'react';
import { View } from 'react-native';
import type { Attitude } from '@tawny/core';
import type { LightRound } from '@tawny/contract';
import { call } from '../../data/api';
import { useProductionCode, useRenew } from '../../data/queries';
import { sendFrames } from '../../data/sendFrames';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Either } from '../../ui/Either';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { watchAttitude } from '../records/deviceSensors';
import { AimDial } from './AimDial';
import { aimsOf, aimWords, rowsOf, toGo } from './aims';
import { openDeviceCamera, openSimulatedCamera, shotFile, type PhoneCamera, type PhoneLook } from './phoneCamera';

type Source = 'device' | 'standIn' | 'standInHeld';

const SOURCES: { value: Source; title: string }[] = [
  { value: 'device', title: 'Camera of this phone' },
  { value: 'standIn', title: 'Stand-in, own exposure' },
  { value: 'standInHeld', title: 'Stand-in, held exposure' },
];

/** Two and two thirds of a stop between held frames. */
const STEP = 2 ** (8 / 3);
const HELD_FRAMES = 4;

/** Shutters of a bracket that the browser can hold: from a bright day's down to its fastest. */
function bracketOf(shutters: NonNullable<PhoneCamera['shutters']>): number[] {
  const longest = Math.min(shutters.slowestS, shutters.fastestS * STEP ** (HELD_FRAMES - 1) * 4);
  return Array.from({ length: HELD_FRAMES }, (_, k) => Math.max(shutters.fastestS, longest / STEP ** k));
}

/** A round with nothing but a phone: it says where to look, and plainly what its exposure is worth. */
export function GuidedRound({ round }: { round: LightRound }) {
  const code = useProductionCode();
  const [source, setSource] = useState<Source>('device');
  const [fovDeg, setFov] = useState(54);
  const [whole, setWhole] = useState(true);
  const [camera, setCamera] = useState<PhoneCamera | null>(null);
  const [error, setError] = useState<string | null>(null);
  const rows = useMemo(() => rowsOf(fovDeg, whole), [fovDeg, whole]);
  useEffect(() => () => camera?.close(), [camera]);
  const begin = async () => {
    setError(null);
    try {
      setCamera(
        source === 'device'
          ? await openDeviceCamera()
          : openSimulatedCamera(code, round.id, fovDeg, source === 'standInHeld'),
      );
    } catch (e) {
      setError((e as Error).message);
    }
  };
  if (camera)
    return (
      <Guide
        round={round}
        camera={camera}
        rows={rows}
        fovDeg={fovDeg}
        sensed={source === 'device'}
        onStop={() => setCamera(null)}
      />
    );
  const views = rows.reduce((n, r) => n + r.views, 0);
  return (
    <View style={{ gap: SPACE(3) }}>
      <Text tone="quietInk">
        No rig at hand: the phone says where to look, view by view. Turn about the phone, not about yourself, so that
        near things stay in place.
      </Text>
      <Choice label="Camera" options={SOURCES} value={source} onChange={setSource} />
      <Either label="How much" yes="Whole sphere" no="Around the horizon" value={whole} onChange={setWhole} />
      <Row wrap>
        <Stepper
          label="Field of view, upright"
          unit="°"
          value={fovDeg}
          step={1}
          digits={0}
          onChange={(v) => setFov(Math.min(100, Math.max(30, Math.round(v))))}
        />
      </Row>
      <Text
        size="small"
        tone="quietInk"
      >{`${views} views in ${rows.length} row${rows.length === 1 ? '' : 's'}, a third of each seen twice.`}</Text>
      {error ? <Notice state="lost" title="The camera did not start" detail={error} testID="camera-error" /> : null}
      <Row>
        <Action kind="main" grow title="Start the guided round" onPress={() => void begin()} />
      </Row>
    </View>
  );
}

interface GuideProps {
  round: LightRound;
  camera: PhoneCamera;
  rows: ReturnType<typeof rowsOf>;
  fovDeg: number;
  /** Whether the phone's own sensor tells where it looks; the stand-in is turned by hand. */
  sensed: boolean;
  onStop: () => void;
}

function Guide({ round, camera, rows, fovDeg, sensed, onStop }: GuideProps) {
  const code = useProductionCode();
  const renew = useRenew();
  const [look, setLook] = useState<PhoneLook | null>(sensed ? null : { headingDeg: 0, tiltDeg: 0, rollDeg: 0 });
  const [sensorError, setSensorError] = useState<string | null>(null);
  const [shots, setShots] = useState<{ aim: number; files: File[] }[]>([]);
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<string | null>(null);
  const video = useRef<HTMLVideoElement>(null);
  const first = useRef<number | null>(null);
  if (first.current === null && look) first.current = look.headingDeg;
  const aims = useMemo(() => aimsOf(rows, first.current ?? 0), [rows, first.current === null]);
  const done = new Set(shots.map((s) => s.aim));
  const next = aims.findIndex((_, i) => !done.has(i));
  const go = look && next >= 0 ? toGo(look, aims[next]) : null;

  useEffect(() => (sensed ? watchAttitude(setLook, (e) => setSensorError(e.message)) : undefined), [sensed]);
  useEffect(() => {
    if (video.current) video.current.srcObject = camera.stream;
  }, [camera]);

  const release = async () => {
    if (next < 0) return;
    setBusy(true);
    setError(null);
    // Without a sensor the aim itself is what is known of where it looks.
    const attitude = look ?? { ...aims[next], rollDeg: 0 };
    try {
      const files: File[] = [];
      for (const [k, shutterS] of (camera.shutters ? bracketOf(camera.shutters) : [null]).entries()) {
        const shot = await camera.photograph(attitude, shutterS);
        files.push(
          await shotFile(shot, `phone_${String(next + 1).padStart(2, '0')}_${k + 1}.jpg`, new Date(), attitude),
        );
      }
      setShots((s) => [...s, { aim: next, files }]);
    } catch (e) {
      setError((e as Error).message);
    }
    setBusy(false);
  };
  const finish = async () => {
    setBusy(true);
    setError(null);
    try {
      const rig = {
        projection: 'rectilinear' as const,
        fovDeg,
        fovAcross: 'width' as const,
        views: aims.length,
        rows: rows.map((r) => ({ ...r })),
        ndStops: 0,
      };
      await call('rounds.change', {
        params: { production: code, id: round.id },
        body: { rig, version: round.version },
      });
      await sendFrames(
        code,
        round.id,
        [...shots].sort((a, b) => a.aim - b.aim).flatMap((s) => s.files),
        () => undefined,
      );
      await renew('rounds.addFrames');
    } catch (e) {
      setError((e as Error).message);
      setBusy(false);
    }
  };
  return (
    <View style={{ gap: SPACE(3) }}>
      <Notice
        testID="exposure-word"
        state={camera.shutters ? 'complete' : 'doubtful'}
        title={camera.shutters ? 'This browser holds the exposure' : 'This browser does not let the exposure be held'}
        detail={
          camera.shutters
            ? `Each view is ${HELD_FRAMES} frames at fixed times, shortest 1/${Math.round(1 / Math.min(...bracketOf(camera.shutters)))} s. The sun's disc stays cut off: measure it with a lux reading.`
            : 'The phone chooses anew for every view, one frame each. Views are brought together where they overlap (to about a tenth of a stop from one to the next, adding up around the circle); bright lights are cut off, so the panorama is good for reflections and not a measurement of light.'
        }
      />
      {camera.stream ? (
        <video
          ref={video}
          autoPlay
          muted
          playsInline
          style={{ width: '100%', maxHeight: 360, objectFit: 'contain', backgroundColor: '#777777' }}
          aria-label="What the camera sees"
        />
      ) : null}
      <View style={{ alignItems: 'center', gap: SPACE(2) }}>
        <AimDial aims={aims} done={done} next={next} look={look} />
        <Text size="large" strong testID="aim-words">
          {next < 0
            ? 'Every view is photographed'
            : go
              ? aimWords(go)
              : `View ${next + 1}: heading ${(aims[next].headingDeg - aims[0].headingDeg).toFixed(0)}° from the first, tilt ${aims[next].tiltDeg}°`}
        </Text>
        <Figure value={`${done.size} of ${aims.length}`} unit="views" testID="aims-done" />
      </View>
      {sensorError ? (
        <Notice
          state="doubtful"
          title="No orientation sensor"
          detail={`${sensorError} Aim by the dial: the views stand where they should, and the pictures correct them.`}
        />
      ) : null}
      {!sensed && next >= 0 ? <StandInTurn look={look!} aim={aims[next]} onLook={setLook} /> : null}
      {error ? <Notice state="lost" title="That did not work" detail={error} testID="guide-error" /> : null}
      <Row wrap>
        {next >= 0 ? (
          <Action kind="main" grow title={`Photograph view ${next + 1}`} busy={busy} onPress={() => void release()} />
        ) : null}
        {shots.length > 0 && next >= 0 ? (
          <Action title="Take the last one back" onPress={() => setShots((s) => s.slice(0, -1))} />
        ) : null}
      </Row>
      <Row wrap>
        {next < 0 ? (
          <Action
            kind="main"
            grow
            title={`Put ${shots.flatMap((s) => s.files).length} frames into the round`}
            busy={busy}
            onPress={() => void finish()}
          />
        ) : null}
        <Action title="Stop" onPress={onStop} />
      </Row>
    </View>
  );
}

/** The stand-in has no hands: this turns it to the next aim, as far off as a hand is. */
function StandInTurn({
  look,
  aim,
  onLook,
}: {
  look: Attitude;
  aim: { headingDeg: number; tiltDeg: number };
  onLook: (a: Attitude) => void;
}) {
  const off = (reach: number) => (Math.random() * 2 - 1) * reach;
  return (
    <Row wrap>
      <Action
        grow
        title="Turn the stand-in there"
        onPress={() =>
          onLook({
            headingDeg: aim.headingDeg + off(1.5),
            tiltDeg: Math.max(-90, Math.min(90, aim.tiltDeg + off(1.5))),
            rollDeg: off(1),
          })
        }
      />
      <Text
        size="small"
        tone="quietInk"
      >{`looks ${(((look.headingDeg % 360) + 360) % 360).toFixed(0)}°, tilt ${look.tiltDeg.toFixed(0)}°`}</Text>
    </Row>
  );
}
