import { View } from 'react-native';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Panel, Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { MARKS, strokeCount, withFamily, withoutStroke, type Drawn } from './plateStrokes';

/** What a drag over the plate makes. */
export type StrokeTool = '0' | '1' | '2' | 'length';

const KINDS = [
  { value: 'vertical', title: 'Upright' },
  { value: 'level', title: 'Level' },
  { value: 'free', title: 'Free' },
] as const;
const LENGTHS = [0.2, 0.3, 0.5, 0.75, 1, 1.5, 2, 2.5, 3, 4, 5, 7, 10, 15, 20];

export const TOOLS = [
  ...MARKS.map((mark, k) => ({ value: String(k) as StrokeTool, title: mark })),
  { value: 'length' as const, title: 'A length' },
];

/** What the edges of the family that is drawn are in the world, or the length that is known; taking back. */
export function FamiliesPanel({
  drawn,
  tool,
  chosen,
  canUndo,
  onChange,
  onChosen,
  onUndo,
}: {
  drawn: Drawn;
  tool: StrokeTool;
  chosen: { family: number; stroke: number } | null;
  canUndo: boolean;
  onChange: (drawn: Drawn) => void;
  onChosen: (chosen: null) => void;
  onUndo: () => void;
}) {
  const { knownLength } = drawn;
  const k = tool === 'length' ? null : Number(tool);
  const family = k === null ? null : drawn.families[k];
  return (
    <Panel title={k === null ? 'A known length' : `Strokes ${MARKS[k]}`}>
      {family && k !== null ? (
        <View style={{ gap: SPACE(2) }}>
          <Choice
            label={`What ${MARKS[k]} runs along`}
            options={KINDS}
            value={family.kind}
            onChange={(kind) =>
              onChange(withFamily(drawn, k, { kind, azimuthDeg: kind === 'level' ? family.azimuthDeg : null }))
            }
          />
          <Text size="small" tone="quietInk">
            {family.kind === 'vertical'
              ? 'Edges that stand upright: corners of walls, door posts, poles.'
              : family.kind === 'level'
                ? 'Edges that lie level and run the same way: planks, eaves, kerbs.'
                : 'Edges that run the same way, but neither upright nor level: they tell nothing of the camera yet.'}
          </Text>
          {family.kind === 'level' ? (
            family.azimuthDeg === null ? (
              <Row>
                <Action
                  title="State where it runs"
                  hint={`The bearing along which ${MARKS[k]} runs away from the camera`}
                  onPress={() => onChange(withFamily(drawn, k, { azimuthDeg: 0 }))}
                />
              </Row>
            ) : (
              <Row wrap>
                <Stepper
                  label="Runs away towards"
                  unit="°"
                  value={family.azimuthDeg}
                  step={1}
                  digits={1}
                  onChange={(v) => onChange(withFamily(drawn, k, { azimuthDeg: Math.max(-360, Math.min(720, v)) }))}
                />
                <Action
                  title="Nobody surveyed it"
                  onPress={() => onChange(withFamily(drawn, k, { azimuthDeg: null }))}
                />
              </Row>
            )
          ) : null}
        </View>
      ) : (
        <View style={{ gap: SPACE(2) }}>
          <Text size="small" tone="quietInk">
            {knownLength
              ? 'Its first end is the one that the drag began at.'
              : 'Drag along something on the ground or standing on it whose length you know; begin at its foot.'}
          </Text>
          {knownLength ? (
            <>
              <Choice
                label="How it lies"
                options={[
                  { value: 'ground', title: 'On the ground' },
                  { value: 'vertical', title: 'Standing on it' },
                ]}
                value={knownLength.lying}
                onChange={(lying) => onChange({ ...drawn, knownLength: { ...knownLength, lying } })}
              />
              <Row wrap>
                <Stepper
                  label="It measures"
                  unit="m"
                  value={knownLength.lengthM}
                  scale={LENGTHS}
                  digits={3}
                  onChange={(v) => onChange({ ...drawn, knownLength: { ...knownLength, lengthM: Math.max(0.01, v) } })}
                />
                <Action title="Remove the length" onPress={() => onChange({ ...drawn, knownLength: null })} />
              </Row>
            </>
          ) : null}
        </View>
      )}
      <Row wrap>
        <Text>{drawn.families.map((f, i) => `${MARKS[i]} ${f.strokes.length}`).join('   ')}</Text>
        {chosen ? (
          <Action
            title={`Remove this stroke of ${MARKS[chosen.family]}`}
            onPress={() => {
              onChange(withoutStroke(drawn, chosen.family, chosen.stroke));
              onChosen(null);
            }}
          />
        ) : null}
        <Action title="Undo" disabled={!canUndo} onPress={onUndo} />
        {strokeCount(drawn) > 0 ? (
          <Action
            title="Remove all"
            onPress={() => onChange({ ...drawn, families: drawn.families.map((f) => ({ ...f, strokes: [] })) })}
          />
        ) : null}
      </Row>
    </Panel>
  );
}
