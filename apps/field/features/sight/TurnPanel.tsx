import { signed, wrap180 } from '@tawny/core';
import { useState } from 'react';
import type { Calibration } from '@tawny/contract';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Panel, Reading, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { ThumbWheel } from '../../ui/ThumbWheel';
import { feltTurn, type Felt } from './feltTurn';
import { differenceDeg, handTurnOf, quaternionOf, type HandTurn } from './sightMath';
import type { useTurn } from './useTurn';

/** Degrees that the thumb wheel turns for a pixel. */
const WHEEL_DEG = 0.05;
/** A turn whose limits nobody felt for. */
const UNFELT_DEG = 1.5;

/** The turn by wheel, steps and typed values beside the solved one, its limits, and keeping it. */
export function TurnPanel({
  hand,
  calibration,
  error,
  busy,
  onKeep,
}: {
  hand: ReturnType<typeof useTurn>;
  calibration: Calibration | null;
  /** What the server said of keeping it. */
  error: { message: string; differ: boolean } | null;
  busy: boolean;
  onKeep: (turn: HandTurn, uncertaintyDeg: number, withSun: boolean) => void;
}) {
  const { turn, change, undo, canUndo } = hand;
  const [felt, setFelt] = useState<Felt>({ left: null, right: null });
  const [stated, setStated] = useState(UNFELT_DEG);
  const solved = calibration?.orientation ?? null;
  const limits = feltTurn(felt);
  const kept: HandTurn = limits ? { ...turn, yawDeg: limits.yawDeg } : turn;
  const uncertainty = limits?.halfDeg ?? stated;
  const field = (key: keyof HandTurn, label: string) => (
    <Stepper
      label={label}
      unit="°"
      value={key === 'yawDeg' ? wrap180(turn.yawDeg) : turn[key]}
      step={0.1}
      digits={2}
      onChange={(v) => change((t) => ({ ...t, [key]: v }))}
    />
  );
  return (
    <Panel title="Turn">
      <Row wrap gap={5}>
        <Reading label="By hand">
          <Figure
            value={wrap180(kept.yawDeg).toFixed(2)}
            unit="°"
            plusMinus={`${uncertainty.toFixed(2)}°`}
            size="large"
            testID="hand-yaw"
          />
        </Reading>
        {solved ? (
          <>
            <Reading label="Solved">
              <Figure
                value={solved.adopted.value.toFixed(2)}
                unit="°"
                plusMinus={
                  solved.adopted.uncertainty === null ? undefined : `${solved.adopted.uncertainty.toFixed(2)}°`
                }
                size="large"
                testID="solved-yaw"
              />
            </Reading>
            <Reading label="Apart">
              <Figure value={differenceDeg(quaternionOf(kept), solved.rotation).toFixed(2)} unit="°" size="large" />
            </Reading>
          </>
        ) : null}
      </Row>
      <ThumbWheel
        label="Turn the panorama"
        onTurn={(px) => change((t) => ({ ...t, yawDeg: t.yawDeg + px * WHEEL_DEG }))}
      />
      <Row wrap style={{ alignItems: 'flex-start' }}>
        {field('yawDeg', 'Turn')}
        {field('tiltDeg', 'Tilt')}
        {field('rollDeg', 'Roll')}
      </Row>
      <Row wrap>
        <Action title="Undo" disabled={!canUndo} onPress={undo} />
        {solved ? (
          <Action title="Back to the solved turn" onPress={() => change(() => handTurnOf(solved.rotation))} />
        ) : null}
      </Row>
      <Text size="small" tone="quietInk">
        {limits
          ? `It fits from ${felt.left!.toFixed(2)}° to ${felt.right!.toFixed(2)}°.`
          : 'How sure? Turn to either side until it visibly fails, and say so there.'}
      </Text>
      <Row wrap>
        <Action
          title={felt.left === null ? 'Fails here, too far left' : `Fails at ${signed(felt.left, 2)}°`}
          hint="The turn that is too far to one side"
          onPress={() => setFelt((f) => ({ ...f, left: wrap180(turn.yawDeg) }))}
        />
        <Action
          title={felt.right === null ? 'Fails here, too far right' : `Fails at ${signed(felt.right, 2)}°`}
          hint="The turn that is too far to the other side"
          onPress={() => setFelt((f) => ({ ...f, right: wrap180(turn.yawDeg) }))}
        />
      </Row>
      {limits ? null : (
        <Row>
          <Stepper
            label="Fits within ±"
            unit="°"
            value={stated}
            step={0.5}
            digits={2}
            onChange={(v) => setStated(Math.max(0.05, v))}
          />
        </Row>
      )}
      {error ? (
        <Notice state="doubtful" title="The turn was not kept" detail={error.message}>
          {error.differ ? (
            <Row>
              <Action title="Keep the hand turn alone" busy={busy} onPress={() => onKeep(kept, uncertainty, false)} />
            </Row>
          ) : null}
        </Notice>
      ) : null}
      <Row>
        <Action grow kind="main" title="Keep this turn" busy={busy} onPress={() => onKeep(kept, uncertainty, true)} />
      </Row>
    </Panel>
  );
}
