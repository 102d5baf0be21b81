import { View } from 'react-native';
import { Action } from '../../ui/Action';
import { Panel, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { SolveTurn, type NotSolved } from './SolveTurn';

/** The same thing in plate and panorama. */
export interface SightPick {
  xPx: number;
  yPx: number;
  /** How well it was pointed at in either picture (95 %); null of one that nobody tapped. */
  withinPx: number | null;
  withinDeg: number | null;
  panoramaAzimuthDeg: number;
  panoramaElevationDeg: number;
  distanceM: number | null;
  /** Found by the program; nobody has looked at it yet. */
  proposed?: boolean;
}

/** Metres from the camera, as they are stepped through. */
export const DISTANCES_M = [1, 1.5, 2, 3, 4, 5, 7, 10, 15, 20, 30, 50, 70, 100, 200, 500, 1000];

/** Picks with their distances, and solving the turn from them. */
export function PicksPanel({
  picks,
  plate,
  shiftOf,
  waiting,
  busy,
  solved,
  error,
  proposing,
  onPropose,
  onChange,
  onSolve,
}: {
  picks: readonly SightPick[];
  /** There is a plate to pick in. */
  plate: boolean;
  /** How far a pick shifts between camera and station, degrees; null where that is not known. */
  shiftOf: (pick: SightPick) => number | null;
  /** A thing was tapped in the plate and is looked for in the panorama. */
  waiting: boolean;
  busy: boolean;
  solved: string | null;
  error: NotSolved | null;
  /** Looking for things that both show, or what came of it. */
  proposing: { busy: boolean; words: string | null };
  onPropose: () => void;
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
      {plate ? (
        <Row wrap>
          <Action
            title="Propose picks"
            hint="Looks for things that plate and panorama both show"
            busy={proposing.busy}
            onPress={onPropose}
          />
          {picks.some((p) => p.proposed) ? (
            <Action title="Remove the proposed" onPress={() => onChange(picks.filter((p) => !p.proposed))} />
          ) : null}
        </Row>
      ) : null}
      {proposing.words ? (
        <Text size="small" tone="quietInk" testID="proposal-words">
          {proposing.words}
        </Text>
      ) : null}
      {picks.map((p, k) => (
        <View key={k} style={{ gap: SPACE(1) }}>
          <Text>{`${k + 1}${p.proposed ? ', proposed' : ''}: bearing in the picture ${p.panoramaAzimuthDeg.toFixed(1)}°, ${p.panoramaElevationDeg.toFixed(1)}° up`}</Text>
          {p.distanceM === null ? null : (
            <Row>
              <Stepper
                label="From the camera"
                unit="m"
                value={p.distanceM}
                scale={DISTANCES_M}
                digits={1}
                onChange={(v) => set(k, Math.max(0.2, v))}
              />
              <NearWords shiftDeg={shiftOf(p)} />
            </Row>
          )}
          <Row wrap>
            {p.distanceM === null ? (
              <Action
                title="State its distance"
                hint={`How far pick ${k + 1} is from the camera`}
                onPress={() => set(k, 10)}
              />
            ) : null}
            <Action
              title="Remove"
              hint={`Removes pick ${k + 1}`}
              onPress={() => onChange(picks.filter((_, i) => i !== k))}
            />
          </Row>
        </View>
      ))}
      <SolveTurn
        title="Solve the turn from the picks"
        alone="Use the picks alone"
        {...{ error, busy, solved, onSolve }}
        ready={picks.length > 0}
      />
    </Panel>
  );
}

/** From here on a pick rests on something near. */
const NEAR_DEG = 1;

/** Said of a pick on something near: it is as good as its distance and the offset of camera and station. */
function NearWords({ shiftDeg }: { shiftDeg: number | null }) {
  if (shiftDeg === null || shiftDeg < NEAR_DEG) return null;
  return <Text size="small" tone="ochre">{`Near: ${shiftDeg.toFixed(1)}° of shift`}</Text>;
}
