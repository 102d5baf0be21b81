import { memo, useCallback, useRef, useState } from 'react';
import { Pressable, TextInput, View } from 'react-native';
import { Keypad } from './Keypad';
import { Text } from './Text';
import { useTheme } from './theme';
import { FONT, RADIUS, SPACE, TARGET } from './tokens';

interface StepperProps {
  label: string;
  unit?: string;
  value: number;
  onChange: (value: number) => void;
  /** The trade's own increments; the next one up or down is taken from here. */
  scale?: readonly number[];
  /** Plain increment where there is no scale. */
  step?: number;
  digits?: number;
  /** Value of the last take, shown beside when it differs. */
  was?: number;
  fault?: string;
  /** Where the value came from, such as a file. */
  source?: string;
  /** Nobody has said it yet: `value` is where minus and plus begin, and is not shown. */
  unstated?: boolean;
  /** May lie below zero: the digits that a phone offers have no minus. */
  signed?: boolean;
}

const next = (scale: readonly number[], value: number, up: boolean) =>
  up
    ? (scale.find((s) => s > value * (1 + 1e-6) + 1e-9) ?? value)
    : ([...scale].reverse().find((s) => s < value * (1 - 1e-6) - 1e-9) ?? value);

const StepButton = memo(
  ({ label, sign, onStep, onHold }: { label: string; sign: string; onStep: () => void; onHold: () => void }) => {
    const { palette } = useTheme();
    return (
      <Pressable
        role="button"
        aria-label={label}
        onPress={onStep}
        onLongPress={onHold}
        delayLongPress={450}
        style={({ pressed }) => ({
          width: TARGET,
          height: TARGET + 4,
          alignItems: 'center',
          justifyContent: 'center',
          backgroundColor: pressed ? palette.hairline : 'transparent',
        })}
      >
        <Text size="title" tone="tawny">
          {sign}
        </Text>
      </Pressable>
    );
  },
);
StepButton.displayName = 'StepButton';

/** A value with large minus and plus in the trade's increments; typing replaces it, a long press opens the keypad. */
export function Stepper({
  label,
  unit,
  value,
  onChange,
  scale,
  step = 1,
  digits = 2,
  was,
  fault,
  source,
  unstated = false,
  signed = false,
}: StepperProps) {
  const { palette } = useTheme();
  const [typed, setTyped] = useState<string | null>(null);
  const [keypad, setKeypad] = useState(false);
  const begin = Number(value.toFixed(digits));
  const shown = unstated ? '' : begin.toString();
  const changed = was !== undefined && Math.abs(was - value) > 1e-9;
  const move = (up: boolean) => {
    setTyped(null);
    if (unstated) return onChange(value);
    onChange(scale ? next(scale, value, up) : Number((value + (up ? step : -step)).toFixed(6)));
  };
  const commit = () => {
    if (typed === null) return;
    const parsed = Number(typed.replace(',', '.'));
    if (typed.trim() !== '' && Number.isFinite(parsed)) onChange(parsed);
    setTyped(null);
  };
  const edge = fault ? palette.madder : changed ? palette.tawny : palette.hairline;
  // The buttons stay as they are while the value changes.
  const latest = useRef(move);
  latest.current = move;
  const down = useCallback(() => latest.current(false), []);
  const up = useCallback(() => latest.current(true), []);
  const hold = useCallback(() => setKeypad(true), []);
  return (
    <View style={{ flexGrow: 1, flexBasis: 140, gap: 2 }}>
      <View style={{ flexDirection: 'row', justifyContent: 'space-between', gap: SPACE(2) }}>
        <Text size="small" tone={fault ? 'madder' : 'quietInk'} lines={1}>
          {unit ? `${label}, ${unit}` : label}
        </Text>
        {changed ? (
          <Text size="small" tone="tawny" lines={1}>
            {`was ${Number(was.toFixed(digits))}`}
          </Text>
        ) : null}
      </View>
      <View
        style={{
          flexDirection: 'row',
          alignItems: 'center',
          borderWidth: changed || fault ? 2 : 1,
          borderColor: edge,
          borderStyle: unstated ? 'dashed' : 'solid',
          borderRadius: RADIUS,
          backgroundColor: palette.raised,
        }}
      >
        <StepButton label={`${label} down`} sign="−" onStep={down} onHold={hold} />
        <TextInput
          aria-label={unit ? `${label} in ${unit}` : label}
          inputMode={signed ? 'text' : 'decimal'}
          value={typed ?? shown}
          placeholder={unstated ? '–' : undefined}
          placeholderTextColor={palette.quietInk}
          onChangeText={setTyped}
          onBlur={commit}
          onSubmitEditing={commit}
          selectTextOnFocus
          style={{
            flex: 1,
            minWidth: 0,
            height: TARGET + 4,
            textAlign: 'center',
            color: palette.ink,
            fontFamily: FONT.numberStrong,
            fontSize: 17,
          }}
        />
        <StepButton label={`${label} up`} sign="+" onStep={up} onHold={hold} />
      </View>
      {fault ? (
        <Text size="small" tone="madder">
          {fault}
        </Text>
      ) : null}
      {source ? (
        <Text size="small" tone="tide" lines={1}>
          {`from ${source}`}
        </Text>
      ) : null}
      {keypad ? (
        <Keypad label={label} unit={unit} value={begin} onDone={onChange} onClose={() => setKeypad(false)} />
      ) : null}
    </View>
  );
}

/** A value that may not have been measured: then it says so, and one tap begins with `start`. */
export function OptionalStepper({
  value,
  start,
  onChange,
  ...rest
}: Omit<StepperProps, 'value' | 'onChange'> & {
  value: number | null;
  start: number;
  onChange: (value: number | null) => void;
}) {
  const { palette } = useTheme();
  if (value !== null) {
    return (
      <View style={{ flexGrow: 1, flexBasis: 140 }}>
        <View style={{ flexDirection: 'row' }}>
          <Stepper {...rest} value={value} onChange={onChange} />
        </View>
        <Pressable
          role="button"
          aria-label={`${rest.label} not measured`}
          onPress={() => onChange(null)}
          style={{ minHeight: TARGET, justifyContent: 'center' }}
        >
          <Text size="small" tone="quietInk">
            Not measured
          </Text>
        </Pressable>
      </View>
    );
  }
  return (
    <View style={{ flexGrow: 1, flexBasis: 140, gap: 2 }}>
      <Text size="small" tone={rest.fault ? 'madder' : 'quietInk'} lines={1}>
        {rest.unit ? `${rest.label}, ${rest.unit}` : rest.label}
      </Text>
      <Pressable
        role="button"
        aria-label={`Measure ${rest.label}`}
        onPress={() => onChange(start)}
        style={{
          minHeight: TARGET + 6,
          alignItems: 'center',
          justifyContent: 'center',
          borderWidth: 1,
          borderStyle: 'dashed',
          borderColor: rest.fault ? palette.madder : palette.hairline,
          borderRadius: RADIUS,
        }}
      >
        <Text tone="quietInk">not measured</Text>
      </Pressable>
      {rest.fault ? (
        <Text size="small" tone="madder">
          {rest.fault}
        </Text>
      ) : null}
    </View>
  );
}
