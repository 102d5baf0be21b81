import { useState } from 'react';
import { View } from 'react-native';
import type { TakeChange, TakeInput } from '@tawny/contract';
import { KEYED_FIELDS } from '@tawny/contract/takes';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Figure, Text } from '../../ui/Text';

const KEYED: Record<TakeChange['field'], { title: string; unit: string; step: number; signed?: true }> = {
  focusM: { title: 'Focus', unit: 'm', step: 0.1 },
  focalLengthMm: { title: 'Focal length', unit: 'mm', step: 1 },
  tStop: { title: 'Stop', unit: 'T', step: 0.1 },
  headingDeg: { title: 'Heading', unit: '°', step: 1 },
  tiltDeg: { title: 'Tilt', unit: '°', step: 0.5, signed: true },
  heightM: { title: 'Height', unit: 'm', step: 0.05 },
  eastM: { title: 'East', unit: 'm', step: 0.1, signed: true },
  northM: { title: 'North', unit: 'm', step: 0.1, signed: true },
};

const order = (c: TakeChange) => (c.at === 'start' ? -1 : c.at === 'end' ? Infinity : c.at);

/** Keys of what changes while the camera runs: at the start, at a second, at the end. */
export function ChangeCells({
  take,
  change,
  fault,
}: {
  take: TakeInput;
  change: (part: Partial<TakeInput>) => void;
  fault: string | undefined;
}) {
  const [field, setField] = useState<TakeChange['field']>('focusM');
  const [when, setWhen] = useState<'start' | 'end' | 'key'>('end');
  const [second, setSecond] = useState(1);
  const [value, setValue] = useState<number | null>(null);
  const spec = KEYED[field];
  const shown = value ?? take[field] ?? 0;
  const add = () => {
    const at = when === 'key' ? second : when;
    const rest = take.changes.filter((c) => c.field !== field || c.at !== at);
    // A move needs where it began: the take's own value, unless a start is keyed.
    const begun =
      rest.some((c) => c.field === field && c.at === 'start') || at === 'start' || take[field] === null
        ? []
        : [{ field, at: 'start' as const, value: take[field] as number }];
    change({
      changes: [...rest, ...begun, { field, at, value: shown }].sort(
        (a, b) => a.field.localeCompare(b.field) || order(a) - order(b),
      ),
    });
    setValue(null);
  };
  return (
    <View style={{ gap: 12 }}>
      {take.changes.map((c) => (
        <Row key={`${c.field}${c.at}`} style={{ justifyContent: 'space-between' }}>
          <Text>{`${KEYED[c.field].title}, ${c.at === 'start' || c.at === 'end' ? c.at : `at ${c.at} s`}`}</Text>
          <Row>
            <Figure value={String(c.value)} unit={KEYED[c.field].unit} size="large" />
            <Action title="Remove" onPress={() => change({ changes: take.changes.filter((x) => x !== c) })} />
          </Row>
        </Row>
      ))}
      <Choice
        label="What changes"
        options={KEYED_FIELDS.map((f) => ({ value: f, title: KEYED[f].title }))}
        value={field}
        onChange={(f) => {
          setField(f);
          setValue(null);
        }}
      />
      <Choice
        label="When"
        options={[
          { value: 'start', title: 'At the start' },
          { value: 'key', title: 'At a second' },
          { value: 'end', title: 'At the end' },
        ]}
        value={when}
        onChange={setWhen}
      />
      <Row wrap>
        {when === 'key' ? (
          <Stepper
            label="Second"
            unit="s"
            value={second}
            step={0.5}
            digits={1}
            onChange={(v) => setSecond(Math.max(0, v))}
          />
        ) : null}
        <Stepper
          label={spec.title}
          signed={spec.signed}
          unit={spec.unit}
          value={shown}
          step={spec.step}
          onChange={setValue}
        />
        <Action title="Add key" onPress={add} />
      </Row>
      {fault ? (
        <Text tone="madder" size="small">
          {fault}
        </Text>
      ) : null}
    </View>
  );
}
