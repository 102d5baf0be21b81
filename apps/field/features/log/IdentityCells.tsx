import Input from '@rneui/themed/dist/Input';
import { View } from 'react-native';
import type { Setup, TakeInput } from '@tawny/contract';
import { nextSlate, slateParts } from '@tawny/contract/takeRules';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Either } from '../../ui/Either';
import { Row } from '../../ui/Panel';
import { Stepper } from '../../ui/Stepper';
import { Text } from '../../ui/Text';
import type { CellProps } from './ValueCells';

const STATUS = [
  { value: 'good', title: 'Good' },
  { value: 'circled', title: 'Circled' },
  { value: 'ng', title: 'No good' },
  { value: 'wild', title: 'Wild' },
] as const;

/** Who the take is: slate, number, status, light, clip, timecode. */
export function IdentityCells({ take, last, change, fault, setup }: CellProps & { setup: Setup }) {
  const text = (field: 'roll' | 'clip' | 'notes' | 'slate', label: string) => (
    <View style={{ flexGrow: 1, flexBasis: 140 }}>
      <Input
        label={label}
        accessibilityLabel={label}
        value={take[field]}
        errorMessage={fault(field)}
        renderErrorMessage={Boolean(fault(field))}
        onChangeText={(v) => change({ [field]: v } as Partial<TakeInput>)}
      />
    </View>
  );
  const timecode = (field: 'timecodeIn' | 'timecodeOut', label: string) => (
    <View style={{ flexGrow: 1, flexBasis: 140 }}>
      <Input
        label={label}
        accessibilityLabel={label}
        placeholder="hh:mm:ss:ff"
        value={take[field] ?? ''}
        errorMessage={fault(field)}
        renderErrorMessage={Boolean(fault(field))}
        onChangeText={(v) =>
          change({
            [field]: v.trim() === '' ? null : v.trim(),
            ...(take.timecodeRate === null && v.trim() !== '' ? { timecodeRate: take.fps } : {}),
          })
        }
      />
    </View>
  );
  const parts = slateParts(take.slate);
  const conditions = [
    ...new Set(
      [setup.lightCondition, ...setup.lightConditions.map((c) => c.name), take.lightCondition].filter(Boolean),
    ),
  ];
  return (
    <>
      <Row wrap>
        {text('slate', parts ? `Slate (scene ${parts.scene}${parts.setup ? `, setup ${parts.setup}` : ''})` : 'Slate')}
        <Stepper
          label="Take"
          value={take.take}
          was={last?.take}
          fault={fault('take')}
          step={1}
          digits={0}
          onChange={(v) => change({ take: Math.round(v) })}
        />
        {parts ? (
          <Action
            title={`Next setup ${nextSlate(take.slate)}`}
            onPress={() => change({ slate: nextSlate(take.slate), take: 1 })}
          />
        ) : null}
      </Row>
      <Choice label="Status" options={STATUS} value={take.status} onChange={(status) => change({ status })} />
      <View>
        <Text size="small" tone="quietInk">
          Light condition
        </Text>
        <Choice
          label="Light condition"
          options={conditions.map((c) => ({ value: c, title: c }))}
          value={take.lightCondition}
          onChange={(lightCondition) => change({ lightCondition })}
        />
      </View>
      <Row wrap>
        {text('roll', 'Roll')}
        {text('clip', 'Clip')}
      </Row>
      <Row wrap>
        {timecode('timecodeIn', 'Timecode in')}
        {timecode('timecodeOut', 'Timecode out')}
        {take.timecodeRate === null ? null : (
          <Stepper
            label="Timecode rate"
            unit="fps"
            value={take.timecodeRate}
            scale={[23.976, 24, 25, 29.97, 30, 48, 50, 59.94, 60]}
            digits={3}
            fault={fault('timecodeRate')}
            onChange={(timecodeRate) => change({ timecodeRate })}
          />
        )}
      </Row>
      <Either
        label="Flopped"
        yes="Flopped"
        no="Not flopped"
        noFirst
        value={take.flopped}
        onChange={(v) => change({ flopped: v })}
      />
      <Input
        label="Notes"
        value={take.notes}
        onChangeText={(notes) => change({ notes })}
        accessibilityLabel="Notes"
        renderErrorMessage={false}
      />
    </>
  );
}
