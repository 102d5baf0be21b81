import { useState } from 'react';
import { View } from 'react-native';
import type { BracketCamera } from '@tawny/core';
import { planBracket, planViews, roundTime } from '@tawny/core/photometry/bracketPlan';
import { DENSITY_PER_STOP, tStopFromFNumber } from '@tawny/core/photometry/exposure';
import { engravedShutterSeconds, exactShutterSeconds } from '@tawny/core/photometry/nominal';
import type { LightRound, Location, Setup, TestFrameResult } from '@tawny/contract';
import { upload } from '../../data/api';
import { usePanoramas, useProductionCode, useReadings } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Fold } from '../../ui/Fold';
import { Notice } from '../../ui/Notice';
import { Reading, Row } from '../../ui/Panel';
import { PICTURE_FILES, pickFiles } from '../../ui/pickFiles';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { useWide } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { ExposureLadder } from './ExposureLadder';
import { shutterText } from './ladderMath';
import {
  needFromFrame,
  needFromLux,
  needFromPanorama,
  newestLux,
  planOnLadder,
  sunNow,
  type LightSource,
} from './plannerMath';

/** ND on the rig, in stops: none, and densities 0.3 to 5.0. */
const ND_STOPS = [0, 1, 2, 3, 4, 5, 6, 7, 10, 13, Math.round(5 / DENSITY_PER_STOP)];
const F_STOPS = [2.8, 4, 5.6, 8, 11, 16];
const ISOS = [50, 100, 200, 400, 800];
const SHUTTERS = [1 / 8000, 1 / 4000, 1 / 2000, 1 / 1000];
const TURN_S = 6;
const OVERLAP = 0.3;

type Files = '8' | '14';
type Mains = 'none' | '50' | '60';

/** Exposures, views and time of the round before it is shot; says by how much the bracket misses, and what would help. */
export function BracketPlanner({ round, setup, location }: { round: LightRound; setup: Setup; location: Location }) {
  const code = useProductionCode();
  const wide = useWide();
  const readings = useReadings(setup.id);
  const panoramas = usePanoramas();
  const [source, setSource] = useState<LightSource>('sun');
  const [lux, setLux] = useState<number | null>(null);
  const [frame, setFrame] = useState<TestFrameResult | null>(null);
  const [error, setError] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const [fNumber, setFNumber] = useState(8);
  const [iso, setIso] = useState(100);
  const [fastestS, setFastest] = useState(1 / 8000);
  const [stepEv, setStep] = useState(8 / 3);
  const [frames, setFrames] = useState(7);
  const [files, setFiles] = useState<Files>('14');
  const [mains, setMains] = useState<Mains>(setup.kind === 'interior' ? '50' : 'none');
  const at = new Date(round.shotAt);
  const sun = setup.kind === 'interior' ? 0 : sunNow(location, at);
  const logged = newestLux(readings.data ?? []);
  const luxNow = lux ?? logged?.shown ?? (sun > 0 ? 20000 : 500);
  const panorama = (panoramas.data ?? []).find((p) => p.roundId !== round.id) ?? null;
  const need =
    source === 'panorama' && panorama
      ? needFromPanorama(panorama)
      : source === 'frame' && frame
        ? needFromFrame(frame, sun)
        : needFromLux(luxNow, source === 'sun' ? sun : 0);
  const camera: BracketCamera = {
    fastestS: exactShutterSeconds(fastestS),
    slowestS: exactShutterSeconds(30),
    iso,
    tStop: tStopFromFNumber(fNumber, round.rig.transmission),
    ndStops: ND_STOPS,
    bits: files === '8' ? 8 : 14,
    stepEv,
    mostFrames: frames,
    mainsHz: mains === 'none' ? null : (Number(mains) as 50 | 60),
  };
  const plan = planBracket(need, camera);
  const rows =
    round.rig.projection === 'latlong'
      ? [{ tiltDeg: 0, views: 1 }]
      : planViews(Math.min(360, round.rig.fovDeg), round.rig.fovDeg, OVERLAP);
  const views = rows.reduce((n, r) => n + r.views, 0);
  const time = roundTime(views, plan.viewS, TURN_S, location, at);
  const ladder = planOnLadder(plan, need);
  const read = async (picked: File | undefined) => {
    if (!picked) return;
    setError(null);
    setBusy(true);
    try {
      setFrame(
        await upload('rounds.testFrame', { params: { production: code, id: round.id } }, [picked], () => undefined),
      );
    } catch (e) {
      setError((e as Error).message);
    }
    setBusy(false);
  };
  const missing =
    plan.missingBrightStops > 0.05
      ? `${plan.missingBrightStops.toFixed(1)} stops short of the brightest`
      : plan.missingDarkStops > 0.05
        ? `${plan.missingDarkStops.toFixed(1)} stops short of the shadows`
        : 'holds the whole range';
  return (
    <Fold
      title="Plan the bracket"
      summary={`${plan.rungs.length} frames from ${shutterText(engravedShutterSeconds(plan.rungs[0].shutterS))}${plan.ndStops > 0 ? `, ND ${(plan.ndStops * DENSITY_PER_STOP).toFixed(1)}` : ''}: ${missing}`}
    >
      <View
        style={{ flexDirection: wide ? 'row' : 'column', gap: SPACE(4), alignItems: wide ? 'flex-start' : 'stretch' }}
      >
        <View style={{ flex: wide ? 1 : undefined, gap: SPACE(3) }}>
          <Text size="small" tone="quietInk">
            What tells the light
          </Text>
          <Choice
            label="What tells the light"
            options={[
              ...(sun > 0 ? [{ value: 'sun' as const, title: 'Clear sun, now' }] : []),
              { value: 'reading', title: 'Lux reading' },
              ...(panorama ? [{ value: 'panorama' as const, title: 'Last panorama' }] : []),
              { value: 'frame', title: 'Test frame' },
            ]}
            value={source === 'sun' && sun === 0 ? 'reading' : source}
            onChange={setSource}
          />
          {source === 'sun' || source === 'reading' ? (
            <Row wrap>
              <Stepper
                label="Light on the set"
                unit="lux"
                value={luxNow}
                step={luxNow >= 2000 ? 1000 : 50}
                digits={0}
                onChange={(v) => setLux(Math.max(1, v))}
                source={lux === null && logged ? 'the newest reading' : undefined}
              />
            </Row>
          ) : null}
          {source === 'frame' ? (
            <>
              <Row>
                <Action
                  title={frame ? 'Another test frame' : 'Choose a test frame'}
                  busy={busy}
                  onPress={() => void pickFiles({ accept: PICTURE_FILES }).then(([picked]) => read(picked))}
                />
              </Row>
              {frame ? (
                <Text
                  size="small"
                  tone="quietInk"
                >{`holds ${frame.darkest.toPrecision(2)} to ${frame.brightest.toPrecision(2)} cd/m² (nominal); ${(100 * frame.clippedShare).toFixed(1)} % cut off${frame.clippedShare > 0 && sun > 0 ? ', taken for the sun' : ''}`}</Text>
              ) : null}
              {error ? <Notice state="lost" title="The test frame tells nothing" detail={error} /> : null}
            </>
          ) : null}
          <Row wrap style={{ alignItems: 'flex-start' }}>
            <Stepper label="Aperture, kept" unit="f" scale={F_STOPS} value={fNumber} onChange={setFNumber} digits={1} />
            <Stepper label="ISO, kept" scale={ISOS} value={iso} onChange={setIso} digits={0} />
            <Stepper
              label="Step"
              unit="EV"
              scale={[1, 4 / 3, 5 / 3, 2, 7 / 3, 8 / 3, 3]}
              value={stepEv}
              onChange={setStep}
              digits={2}
            />
            <Stepper
              label="Most frames a view"
              value={frames}
              step={1}
              digits={0}
              onChange={(v) => setFrames(Math.min(15, Math.max(1, Math.round(v))))}
            />
          </Row>
          <Text size="small" tone="quietInk">
            Fastest shutter, s
          </Text>
          <Row wrap>
            <Choice
              label="Fastest shutter"
              options={SHUTTERS.map((s) => ({ value: String(s), title: shutterText(s) }))}
              value={String(fastestS)}
              onChange={(v) => setFastest(Number(v))}
            />
          </Row>
          <Text size="small" tone="quietInk">
            Files, and lamps on the mains
          </Text>
          <Row wrap>
            <Choice
              label="Files"
              options={[
                { value: '14', title: 'Raw, 14 bit' },
                { value: '8', title: 'JPEG, 8 bit' },
              ]}
              value={files}
              onChange={setFiles}
            />
            <Choice
              label="Lamps on the mains"
              options={[
                { value: 'none', title: 'No lamps' },
                { value: '50', title: '50 Hz' },
                { value: '60', title: '60 Hz' },
              ]}
              value={mains}
              onChange={setMains}
            />
          </Row>
        </View>
        <View style={{ flex: wide ? 1 : undefined, gap: SPACE(3) }}>
          <ExposureLadder
            ev={ladder.ev}
            bits={files === '8' ? 8 : 14}
            histogram={ladder.histogram}
            shutters={plan.rungs.map((r) => shutterText(engravedShutterSeconds(r.shutterS)))}
          />
          <Text testID="plan-frames">{`Shutters, s: ${plan.rungs.map((r) => `${shutterText(engravedShutterSeconds(r.shutterS))}${r.ndStops > 0 ? ' with ND' : ''}`).join(', ')}`}</Text>
          <Notice
            state={plan.missingBrightStops > 0.05 ? 'lost' : plan.warnings.length > 0 ? 'doubtful' : 'complete'}
            testID="plan-verdict"
            title={
              plan.ndStops > 0
                ? `ND ${(plan.ndStops * DENSITY_PER_STOP).toFixed(1)} (${plan.ndStops} stops) for the brightest: ${missing}`
                : `No ND: ${missing}`
            }
            detail={plan.warnings.join('. ') || undefined}
          />
          <Row wrap style={{ alignItems: 'flex-start' }}>
            <Reading label="Views">
              <Figure
                value={rows.map((r) => r.views).join(' + ')}
                unit={rows.length > 1 ? `rows at ${rows.map((r) => `${r.tiltDeg}°`).join(', ')}` : 'around'}
              />
            </Reading>
            <Reading label="Time">
              <Figure
                value={time.seconds < 90 ? time.seconds.toFixed(0) : (time.seconds / 60).toFixed(1)}
                unit={time.seconds < 90 ? 's' : 'min'}
                testID="plan-time"
              />
            </Reading>
            {setup.kind === 'interior' ? null : (
              <Reading label="Sun moves">
                <Figure value={time.sunDriftDeg.toFixed(2)} unit="°" />
              </Reading>
            )}
          </Row>
          <Text
            size="small"
            tone="quietInk"
          >{`${TURN_S} s to turn the rig, a quarter of a second between frames, ${100 * OVERLAP} % of neighbours seen twice.`}</Text>
        </View>
      </View>
    </Fold>
  );
}
