import { memo, useCallback, useRef } from 'react';
import { Pressable, View } from 'react-native';
import { Text } from './Text';
import { useTheme } from './theme';
import { SPACE, TARGET } from './tokens';

interface ChoiceProps<T extends string> {
  label: string;
  options: readonly { value: T; title: string }[];
  value: T | readonly T[];
  onChange: (value: T) => void;
  /** Several may be chosen: `onChange` hands over the one that was tapped. */
  multiple?: boolean;
}

/** One of a few (or any number of them), all in sight. What is chosen carries corner brackets in ink. */
export function Choice<T extends string>({ label, options, value, onChange, multiple = false }: ChoiceProps<T>) {
  // A caller's new function for the same deed draws no option again.
  const latest = useRef(onChange);
  latest.current = onChange;
  const tapped = useCallback((v: string) => latest.current(v as T), []);
  return (
    <View
      role={multiple ? 'group' : 'radiogroup'}
      aria-label={label}
      style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE(2) }}
    >
      {options.map((o) => (
        <Option
          key={o.value}
          value={o.value}
          title={o.title}
          chosen={typeof value === 'string' ? o.value === value : value.includes(o.value)}
          multiple={multiple}
          onTap={tapped}
        />
      ))}
    </View>
  );
}

interface OptionProps {
  value: string;
  title: string;
  chosen: boolean;
  multiple: boolean;
  onTap: (value: string) => void;
}

/** Drawn again only when it is chosen or left. */
const Option = memo(({ value, title, chosen, multiple, onTap }: OptionProps) => {
  const { palette } = useTheme();
  return (
    <Pressable
      role={multiple ? 'checkbox' : 'radio'}
      aria-checked={chosen}
      aria-label={title}
      onPress={() => onTap(value)}
      style={{ minHeight: TARGET, justifyContent: 'center', paddingHorizontal: SPACE(3) }}
    >
      {chosen ? <Brackets colour={palette.ink} /> : null}
      <Text strong={chosen} tone={chosen ? 'ink' : 'quietInk'}>
        {title}
      </Text>
    </Pressable>
  );
});
Option.displayName = 'Option';

/** Selection is drawn as corner brackets. */
export function Brackets({ colour, size = 9 }: { colour: string; size?: number }) {
  const corner = (vertical: 'top' | 'bottom', horizontal: 'left' | 'right') => (
    <View
      key={vertical + horizontal}
      style={{
        position: 'absolute',
        width: size,
        height: size,
        borderColor: colour,
        [vertical]: 2,
        [horizontal]: 0,
        borderTopWidth: vertical === 'top' ? 2 : 0,
        borderBottomWidth: vertical === 'bottom' ? 2 : 0,
        borderLeftWidth: horizontal === 'left' ? 2 : 0,
        borderRightWidth: horizontal === 'right' ? 2 : 0,
      }}
    />
  );
  return (
    <View style={{ position: 'absolute', top: 0, right: 0, bottom: 0, left: 0, pointerEvents: 'none' }} aria-hidden>
      {corner('top', 'left')}
      {corner('top', 'right')}
      {corner('bottom', 'left')}
      {corner('bottom', 'right')}
    </View>
  );
}
