import Input from '@rneui/themed/dist/Input';
import { useState } from 'react';
import { View } from 'react-native';
import type { z } from 'zod';
import { Choice } from './Choice';
import { Either } from './Either';
import { Row } from './Panel';
import { PickerField } from './PickerField';
import { OptionalStepper, Stepper } from './Stepper';
import { Text } from './Text';
import { useTheme } from './theme';
import { SPACE } from './tokens';

interface Common<T> {
  name: keyof T & string;
  label: string;
}

/** One field of a form, as data. */
export type FieldSpec<T> =
  | (Common<T> & { kind: 'text' })
  | (Common<T> & { kind: 'date' | 'time' })
  | (Common<T> & {
      kind: 'number';
      unit?: string;
      step?: number;
      scale?: readonly number[];
      digits?: number;
      signed?: boolean;
      /** Where an empty one begins; given only when it may be empty. */ start?: number;
    })
  | (Common<T> & {
      kind: 'choice';
      options: readonly { value: string; title: string }[];
      /** May be chosen away. */ optional?: boolean;
    })
  | (Common<T> & { kind: 'many'; options: readonly { value: string; title: string }[] })
  | (Common<T> & { kind: 'toggle' });

interface RecordFormProps<T> {
  fields: readonly FieldSpec<T>[];
  value: T;
  onChange: (part: Partial<T>) => void;
  fault: (name: string) => string | undefined;
  /** Numbers that nobody has said yet. */
  unstated?: readonly string[];
}

/** Side by side with others of its sort. */
const sortOf = ({ kind }: { kind: string }) => (kind === 'date' || kind === 'time' ? 'picker' : kind);

/** What a schema says of a field; undefined when it is as it should be. */
export function faultIn(shape: z.ZodSafeParseResult<unknown>, name: string): string | undefined {
  return shape.success ? undefined : shape.error.issues.find((i) => i.path[0] === name)?.message;
}

/** A form from its description: numbers as steppers side by side, texts and choices in full width. */
export function RecordForm<T>({ fields, value, onChange, fault, unstated = [] }: RecordFormProps<T>) {
  const set = (name: keyof T, v: unknown) => onChange({ [name]: v } as Partial<T>);
  const groups: FieldSpec<T>[][] = [];
  for (const f of fields) {
    const last = groups[groups.length - 1];
    if (['number', 'picker'].includes(sortOf(f)) && last && sortOf(last[0]) === sortOf(f)) last.push(f);
    else groups.push([f]);
  }
  return (
    <View style={{ gap: SPACE(3) }}>
      {groups.map((group) =>
        group[0].kind === 'number' ? (
          <Row key={group[0].name} wrap style={{ alignItems: 'flex-start' }}>
            {group.map((f) =>
              f.kind === 'number' ? (
                <NumberField
                  key={f.name}
                  field={f}
                  value={value[f.name] as number | null}
                  onChange={(v) => set(f.name, v)}
                  fault={fault(f.name)}
                  unstated={unstated.includes(f.name)}
                />
              ) : null,
            )}
          </Row>
        ) : sortOf(group[0]) === 'picker' ? (
          <Row key={group[0].name} wrap style={{ alignItems: 'flex-start' }}>
            {group.map((f) =>
              f.kind === 'date' || f.kind === 'time' ? (
                <PickerField
                  key={f.name}
                  kind={f.kind}
                  label={f.label}
                  value={String(value[f.name] ?? '')}
                  onChange={(v) => set(f.name, v)}
                  fault={fault(f.name)}
                />
              ) : null,
            )}
          </Row>
        ) : (
          <OtherField
            key={group[0].name}
            field={group[0]}
            value={value[group[0].name]}
            onChange={(v) => set(group[0].name, v)}
            fault={fault(group[0].name)}
          />
        ),
      )}
    </View>
  );
}

function NumberField<T>({
  field,
  value,
  onChange,
  fault,
  unstated,
}: {
  field: Extract<FieldSpec<T>, { kind: 'number' }>;
  value: number | null;
  onChange: (v: number | null) => void;
  fault?: string;
  unstated: boolean;
}) {
  const { label, unit, step, scale, digits, signed, start } = field;
  const common = { label, unit, step, scale, digits, signed, fault };
  return start === undefined ? (
    <Stepper {...common} value={value ?? 0} unstated={unstated} onChange={onChange} />
  ) : (
    <OptionalStepper {...common} start={start} value={value} onChange={onChange} />
  );
}

/** What a field that nobody has touched still wants is a hint, not a fault. */
function TextField({
  label,
  value,
  onChange,
  fault,
}: {
  label: string;
  value: string;
  onChange: (v: string) => void;
  fault?: string;
}) {
  const { palette } = useTheme();
  const [touched, touch] = useState(value !== '');
  return (
    <Input
      label={label}
      accessibilityLabel={label}
      value={value}
      onChangeText={(v) => {
        touch(true);
        onChange(v);
      }}
      onBlur={() => touch(true)}
      errorMessage={fault}
      errorStyle={touched ? undefined : { color: palette.quietInk }}
      renderErrorMessage={Boolean(fault)}
    />
  );
}

function OtherField<T>({
  field,
  value,
  onChange,
  fault,
}: {
  field: FieldSpec<T>;
  value: unknown;
  onChange: (v: unknown) => void;
  fault?: string;
}) {
  const note = fault ? (
    <Text size="small" tone="madder">
      {fault}
    </Text>
  ) : null;
  if (field.kind === 'text')
    return <TextField label={field.label} value={String(value ?? '')} onChange={onChange} fault={fault} />;
  const head = (
    <Text size="small" tone={fault ? 'madder' : 'quietInk'}>
      {field.label}
    </Text>
  );
  if (field.kind === 'toggle') {
    return (
      <View>
        {head}
        <Either label={field.label} yes="Yes" no="No" noFirst value={Boolean(value)} onChange={onChange} />
        {note}
      </View>
    );
  }
  if (field.kind === 'many') {
    const chosen = value as string[];
    return (
      <View>
        {head}
        <Many label={field.label} options={field.options} value={chosen} onChange={onChange} />
        {note}
      </View>
    );
  }
  if (field.kind === 'choice') {
    const options = field.optional ? [{ value: '', title: 'None' }, ...field.options] : field.options;
    return (
      <View>
        {head}
        <Choice
          label={field.label}
          options={options}
          value={(value as string | null) ?? ''}
          onChange={(v) => onChange(v === '' ? null : v)}
        />
        {note}
      </View>
    );
  }
  return null;
}

/** Any number of a few. */
export function Many({
  label,
  options,
  value,
  onChange,
}: {
  label: string;
  options: readonly { value: string; title: string }[];
  value: readonly string[];
  onChange: (v: string[]) => void;
}) {
  return (
    <Choice
      multiple
      label={label}
      options={options}
      value={value}
      onChange={(v) => onChange(value.includes(v) ? value.filter((x) => x !== v) : [...value, v])}
    />
  );
}
