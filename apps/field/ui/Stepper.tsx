import { useState } from 'react';
import { Pressable, TextInput, View } from 'react-native';
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
}

const next = (scale: readonly number[], value: number, up: boolean) =>
  up ? (scale.find((s) => s > value * (1 + 1e-6) + 1e-9) ?? value) : ([...scale].reverse().find((s) => s < value * (1 - 1e-6) - 1e-9) ?? value);

/** A value with large minus and plus in the trade's increments; typing replaces it. */
export function Stepper({ label, unit, value, onChange, scale, step = 1, digits = 2, was, fault }: StepperProps) {
  const { palette } = useTheme();
  const [typed, setTyped] = useState<string | null>(null);
  const shown = Number(value.toFixed(digits)).toString();
  const changed = was !== undefined && Math.abs(was - value) > 1e-9;
  const move = (up: boolean) => {
    setTyped(null);
    onChange(scale ? next(scale, value, up) : Number((value + (up ? step : -step)).toFixed(6)));
  };
  const commit = () => {
    if (typed === null) return;
    const parsed = Number(typed.replace(',', '.'));
    if (typed.trim() !== '' && Number.isFinite(parsed)) onChange(parsed);
    setTyped(null);
  };
  const edge = fault ? palette.madder : changed ? palette.tawny : palette.hairline;
  const button = (sign: string, up: boolean) => (
    <Pressable
      role="button"
      aria-label={`${label} ${up ? 'up' : 'down'}`}
      onPress={() => move(up)}
      style={({ pressed }) => ({ width: TARGET, height: TARGET + 4, alignItems: 'center', justifyContent: 'center', backgroundColor: pressed ? palette.hairline : 'transparent' })}
    >
      <Text size="title" tone="tawny">
        {sign}
      </Text>
    </Pressable>
  );
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
      <View style={{ flexDirection: 'row', alignItems: 'center', borderWidth: changed || fault ? 2 : 1, borderColor: edge, borderRadius: RADIUS, backgroundColor: palette.raised }}>
        {button('−', false)}
        <TextInput
          aria-label={unit ? `${label} in ${unit}` : label}
          inputMode="decimal"
          value={typed ?? shown}
          onChangeText={setTyped}
          onBlur={commit}
          onSubmitEditing={commit}
          selectTextOnFocus
          style={{ flex: 1, minWidth: 0, height: TARGET + 4, textAlign: 'center', color: palette.ink, fontFamily: FONT.numberStrong, fontSize: 17 }}
        />
        {button('+', true)}
      </View>
      {fault ? (
        <Text size="small" tone="madder">
          {fault}
        </Text>
      ) : null}
    </View>
  );
}
