import type { ReactNode } from 'react';
import { View, type ViewStyle } from 'react-native';
import { Text } from './Text';
import { useTheme } from './theme';
import { RADIUS, SPACE } from './tokens';

/** A raised sheet with a hairline and, when named, a heading with something at its right. */
export function Panel({
  title,
  aside,
  children,
  style,
}: {
  title?: string;
  aside?: ReactNode;
  children: ReactNode;
  style?: ViewStyle;
}) {
  const { palette } = useTheme();
  return (
    <View
      style={[
        {
          backgroundColor: palette.raised,
          borderColor: palette.hairline,
          borderWidth: 1,
          borderRadius: RADIUS,
          padding: SPACE(4),
          gap: SPACE(3),
        },
        style,
      ]}
    >
      {title ? (
        <View
          style={{
            flexDirection: 'row',
            alignItems: 'center',
            justifyContent: 'space-between',
            gap: SPACE(3),
            flexWrap: 'wrap',
          }}
        >
          <Text size="large" strong heading={2}>
            {title}
          </Text>
          {aside}
        </View>
      ) : null}
      {children}
    </View>
  );
}

export function Row({
  children,
  gap = 3,
  wrap = false,
  style,
}: {
  children: ReactNode;
  gap?: number;
  wrap?: boolean;
  style?: ViewStyle;
}) {
  return (
    <View
      style={[
        { flexDirection: 'row', alignItems: 'center', gap: SPACE(gap), flexWrap: wrap ? 'wrap' : 'nowrap' },
        style,
      ]}
    >
      {children}
    </View>
  );
}

/** A labelled value: small label above, figure below. */
export function Reading({ label, children, style }: { label: string; children: ReactNode; style?: ViewStyle }) {
  return (
    <View style={[{ gap: 2, minWidth: 84 }, style]}>
      <Text size="small" tone="quietInk">
        {label}
      </Text>
      {children}
    </View>
  );
}
