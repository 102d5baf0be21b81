import { createElement } from 'react';
import { View } from 'react-native';
import { Text } from './Text';
import { useTheme } from './theme';
import { FONT, RADIUS, SPACE, TARGET } from './tokens';

interface PickerFieldProps {
  /** What the browser's own picker offers: a day of the calendar, or a time of the day. */
  kind: 'date' | 'time';
  label: string;
  /** `2026-10-14` or `07:30`. */
  value: string;
  onChange: (value: string) => void;
  fault?: string;
}

/** A date or a time by the browser's own picker, in the theme's colours. */
export function PickerField({ kind, label, value, onChange, fault }: PickerFieldProps) {
  const { palette, name } = useTheme();
  return (
    <View style={{ gap: SPACE(1), flexGrow: 1, minWidth: 140 }}>
      <Text size="small" tone={fault ? 'madder' : 'quietInk'}>
        {label}
      </Text>
      {createElement('input', {
        type: kind,
        'aria-label': label,
        value,
        // An emptied field says so itself; what stood there is not overwritten by nothing.
        onChange: (e: { target: { value: string } }) => onChange(e.target.value),
        style: {
          minHeight: TARGET,
          boxSizing: 'border-box',
          width: '100%',
          padding: '0 12px',
          font: `15px ${FONT.text}`,
          color: palette.ink,
          backgroundColor: palette.ground,
          border: `1px solid ${fault ? palette.madder : palette.hairline}`,
          borderRadius: RADIUS,
          colorScheme: name === 'daylight' ? 'light' : 'dark',
        },
      })}
      {fault ? (
        <Text size="small" tone="madder">
          {fault}
        </Text>
      ) : null}
    </View>
  );
}
