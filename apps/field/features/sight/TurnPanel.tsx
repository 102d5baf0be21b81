import { turnApartDeg } from '@tawny/core/orient/quaternion';
import { wrap180 } from '@tawny/core/sphere/direction';
import { signed } from '@tawny/core/text/signed';
import { memo, useState } from 'react';
import type { Calibration } from '@tawny/contract';
import { Action } from '../../ui/Action';
import { Either } from '../../ui/Either';
import { Notice } from '../../ui/Notice';
import { Panel, Reading, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';
import { ThumbWheel } from '../../ui/ThumbWheel';
import { useValue } from '../../ui/valueStore';
import { feltTurn, type Felt } from './feltTurn';
import { handTurnOf, quaternionOf, type HandTurn } from './sightMath';
import type { NotSolved } from './SolveTurn';
import { useCanUndo, useSettledAngle, type TurnStore } from './useTurn';

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
  sharing,
  near,
  onKeep,
}: {
  hand: TurnStore;
  calibration: Calibration | null;
  /** What the server said of keeping it. */
  error: NotSolved | null;
  busy: boolean;
  /** The other rounds of this tripod position that have a panorama, and using this turn for them. */
  sharing: { rounds: number; words: string | null; share: () => void } | null;
  /** What things at a chosen distance shift between camera and station at most; null where that is not known or there is no plate. */
  near: { distanceM: number; shiftDeg: number } | null;
  onKeep: (turn: HandTurn, uncertaintyDeg: number, onNear: boolean, withSun: boolean) => void;
}) {
  const { change, get } = hand;
  const [felt, setFelt] = useState<Felt>({ left: null, right: null });
  const [stated, setStated] = useState(UNFELT_DEG);
  const [onNear, setOnNear] = useState(false);
  const solved = calibration?.orientation ?? null;
  const limits = feltTurn(felt);
  /** The middle of what still fits, where that was felt for. */
  const kept = (): HandTurn => (limits ? { ...get(), yawDeg: limits.yawDeg } : get());
  const uncertainty = limits?.halfDeg ?? stated;
  return (
    <Panel title="Turn">
      <HandReadings hand={hand} limits={limits} uncertainty={uncertainty} solved={solved} />
      <ThumbWheel
        label="Turn the panorama"
        onTurn={(px) => change((t) => ({ ...t, yawDeg: t.yawDeg + px * WHEEL_DEG }))}
      />
      <Row wrap style={{ alignItems: 'flex-start' }}>
        <TurnField hand={hand} field="yawDeg" label="Turn" />
        <TurnField hand={hand} field="tiltDeg" label="Tilt" />
        <TurnField hand={hand} field="rollDeg" label="Roll" />
      </Row>
      <Row wrap>
        <UndoTurn hand={hand} />
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
          onPress={() => setFelt((f) => ({ ...f, left: wrap180(get().yawDeg) }))}
        />
        <Action
          title={felt.right === null ? 'Fails here, too far right' : `Fails at ${signed(felt.right, 2)}°`}
          hint="The turn that is too far to the other side"
          onPress={() => setFelt((f) => ({ ...f, right: wrap180(get().yawDeg) }))}
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
      {near ? (
        <>
          <Text size="small" tone="quietInk">
            The things that it was laid on are
          </Text>
          <Either
            label="The things that it was laid on are"
            yes={`About ${near.distanceM} m away`}
            no="Far away"
            noFirst
            value={onNear}
            onChange={setOnNear}
          />
          {onNear ? (
            <Text size="small" tone="ochre" testID="near-hand">
              {`Those shift by up to ${near.shiftDeg.toFixed(1)}° between camera and station: the turn is kept as good to ± ${Math.hypot(uncertainty, near.shiftDeg).toFixed(1)}°.`}
            </Text>
          ) : null}
        </>
      ) : null}
      {solved && sharing ? (
        <Row wrap>
          <Action
            title={`Use the solved turn for ${sharing.rounds} other ${sharing.rounds === 1 ? 'round' : 'rounds'} of this tripod`}
            hint="The rig must have stood as it was"
            busy={busy}
            onPress={sharing.share}
          />
          {sharing.words === null ? null : (
            <Text size="small" tone="quietInk" testID="shared-words">
              {sharing.words}
            </Text>
          )}
        </Row>
      ) : null}
      {error ? (
        <Notice state="doubtful" title="The turn was not kept" detail={error.message}>
          {error.differ ? (
            <Row>
              <Action
                title="Keep the hand turn alone"
                busy={busy}
                onPress={() => onKeep(kept(), uncertainty, near !== null && onNear, false)}
              />
            </Row>
          ) : null}
        </Notice>
      ) : null}
      <Row>
        <Action
          grow
          kind="main"
          title="Keep this turn"
          busy={busy}
          onPress={() => onKeep(kept(), uncertainty, near !== null && onNear, true)}
        />
      </Row>
    </Panel>
  );
}

interface Held {
  hand: TurnStore;
  limits: ReturnType<typeof feltTurn>;
}

/** The turn by hand, at the middle of where it was felt to fit. */
function useHeld({ hand, limits }: Held): HandTurn {
  const held = useValue(hand);
  return limits ? { ...held, yawDeg: limits.yawDeg } : held;
}

/** The hand turn beside the solved one: its two figures follow every pixel of a drag, and nothing else here does. */
function HandReadings({
  hand,
  limits,
  uncertainty,
  solved,
}: Held & { uncertainty: number; solved: Calibration['orientation'] }) {
  return (
    <Row wrap gap={5}>
      <Reading label="By hand">
        <HandFigure hand={hand} limits={limits} uncertainty={uncertainty} />
      </Reading>
      {solved ? (
        <>
          <SolvedReading solved={solved} />
          <Reading label="Apart">
            <ApartFigure hand={hand} limits={limits} solved={solved} />
          </Reading>
        </>
      ) : null}
    </Row>
  );
}

function HandFigure({ uncertainty, ...held }: Held & { uncertainty: number }) {
  return (
    <Figure
      value={wrap180(useHeld(held).yawDeg).toFixed(2)}
      unit="°"
      plusMinus={`${uncertainty.toFixed(2)}°`}
      size="large"
      testID="hand-yaw"
    />
  );
}

function ApartFigure({ solved, ...held }: Held & { solved: NonNullable<Calibration['orientation']> }) {
  const apart = turnApartDeg(quaternionOf(useHeld(held)), solved.rotation);
  return <Figure value={apart.toFixed(2)} unit="°" size="large" />;
}

const SolvedReading = memo(({ solved: { adopted } }: { solved: NonNullable<Calibration['orientation']> }) => (
  <Reading label="Solved">
    <Figure
      value={adopted.value.toFixed(2)}
      unit="°"
      plusMinus={adopted.uncertainty === null ? undefined : `${adopted.uncertainty.toFixed(2)}°`}
      size="large"
      testID="solved-yaw"
    />
  </Reading>
));
SolvedReading.displayName = 'SolvedReading';

/** One angle of the turn by steps or typed. */
function TurnField({ hand, field, label }: { hand: TurnStore; field: keyof HandTurn; label: string }) {
  const [value, set] = useSettledAngle(hand, field);
  return (
    <Stepper
      label={label}
      signed
      unit="°"
      value={field === 'yawDeg' ? wrap180(value) : value}
      step={0.1}
      digits={2}
      onChange={set}
    />
  );
}

function UndoTurn({ hand }: { hand: TurnStore }) {
  return <Action title="Undo" disabled={!useCanUndo(hand)} onPress={hand.undo} />;
}
