import { View } from 'react-native';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

/** The same thing in plate and panorama. */
export interface SightPick {
  xPx: number;
  yPx: number;
  panoramaAzimuthDeg: number;
  panoramaElevationDeg: number;
  distanceM: number | null;
}

const DISTANCES = [1, 1.5, 2, 3, 4, 5, 7, 10, 15, 20, 30, 50, 70, 100, 200, 500, 1000];

/** Picks with their distances, and solving the turn from them. */
export function PicksPanel({
  picks,
  plate,
  waiting,
  busy,
  error,
  onChange,
  onSolve,
}: {
  picks: readonly SightPick[];
  /** There is a plate to pick in. */
  plate: boolean;
  /** A thing was tapped in the plate and is looked for in the panorama. */
  waiting: boolean;
  busy: boolean;
  error: { message: string; differ: boolean } | null;
  onChange: (picks: SightPick[]) => void;
  onSolve: (withSun: boolean) => void;
}) {
  const set = (k: number, distanceM: number | null) =>
    onChange(picks.map((p, i) => (i === k ? { ...p, distanceM } : p)));
  return (
    <Panel title="Picks">
      <Text size="small" tone="quietInk" testID="pick-words">
        {!plate
          ? 'Picks need a plate of this take: photograph or bring one in under Measure.'
          : waiting
            ? 'Now tap the same thing in the panorama.'
            : picks.length === 0
              ? 'Tap a thing in the plate, then the same thing in the panorama below it. Three or four that lie apart tell the whole turn.'
              : 'Tap the next thing in the plate.'}
      </Text>
      {picks.map((p, k) => (
        <View key={k} style={{ gap: SPACE(1) }}>
          <Row wrap style={{ justifyContent: 'space-between' }}>
            <Text>{`${k + 1}: bearing in the picture ${p.panoramaAzimuthDeg.toFixed(1)}°, ${p.panoramaElevationDeg.toFixed(1)}° up`}</Text>
            <Action
              title="Remove"
              hint={`Removes pick ${k + 1}`}
              onPress={() => onChange(picks.filter((_, i) => i !== k))}
            />
          </Row>
          {p.distanceM === null ? (
            <Row>
              <Action
                title="State its distance"
                hint={`How far pick ${k + 1} is from the camera`}
                onPress={() => set(k, 10)}
              />
            </Row>
          ) : (
            <Row>
              <Stepper
                label="From the camera"
                unit="m"
                value={p.distanceM}
                scale={DISTANCES}
                digits={1}
                onChange={(v) => set(k, Math.max(0.2, v))}
              />
            </Row>
          )}
        </View>
      ))}
      {error ? (
        <Notice state="doubtful" title="The turn was not solved" detail={error.message}>
          {error.differ ? (
            <Row>
              <Action title="Use the picks alone" busy={busy} onPress={() => onSolve(false)} />
            </Row>
          ) : null}
        </Notice>
      ) : null}
      {picks.length > 0 ? (
        <Row>
          <Action grow kind="main" title="Solve the turn from the picks" busy={busy} onPress={() => onSolve(true)} />
        </Row>
      ) : null}
    </Panel>
  );
}
