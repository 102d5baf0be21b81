import type { ReactNode } from 'react';
import { View } from 'react-native';
import { StateShape, type StateName } from './StateMark';
import { Text } from './Text';
import { useTheme } from './theme';
import { RADIUS, SPACE } from './tokens';

/** A message that helps: what is the matter, and what to do. Announced to screen readers. */
export function Notice({
  state,
  title,
  detail,
  children,
  testID,
}: {
  state: StateName;
  title: string;
  detail?: string;
  children?: ReactNode;
  testID?: string;
}) {
  const { palette } = useTheme();
  const edge = { complete: palette.tide, open: palette.hairline, doubtful: palette.ochre, lost: palette.madder }[state];
  return (
    <View
      testID={testID}
      role={state === 'lost' ? 'alert' : 'status'}
      style={{
        borderLeftWidth: 3,
        borderColor: edge,
        backgroundColor: palette.raised,
        borderRadius: RADIUS,
        padding: SPACE(3),
        gap: SPACE(2),
      }}
    >
      <View style={{ flexDirection: 'row', gap: SPACE(2), alignItems: 'flex-start' }}>
        <View style={{ paddingTop: 4 }}>
          <StateShape state={state} />
        </View>
        <View style={{ flex: 1, gap: 2 }}>
          <Text strong>{title}</Text>
          {detail ? (
            <Text size="small" tone="quietInk">
              {detail}
            </Text>
          ) : null}
        </View>
      </View>
      {children}
    </View>
  );
}
