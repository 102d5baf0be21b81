import { useState, type ReactNode } from 'react';
import { Pressable, View } from 'react-native';
import { Text } from './Text';
import { useTheme } from './theme';
import { RADIUS, SPACE, TARGET } from './tokens';

/** A panel that is closed until it is wanted; closed, it says in one line what it holds. */
export function Fold({
  title,
  summary,
  open = false,
  children,
}: {
  title: string;
  summary: string;
  open?: boolean;
  children: ReactNode;
}) {
  const { palette } = useTheme();
  const [shown, setShown] = useState(open);
  return (
    <View
      style={{ backgroundColor: palette.raised, borderColor: palette.hairline, borderWidth: 1, borderRadius: RADIUS }}
    >
      <Pressable
        role="button"
        aria-expanded={shown}
        aria-label={title}
        onPress={() => setShown(!shown)}
        style={{
          minHeight: TARGET + 4,
          paddingHorizontal: SPACE(4),
          paddingVertical: SPACE(2),
          flexDirection: 'row',
          alignItems: 'center',
          justifyContent: 'space-between',
          gap: SPACE(3),
        }}
      >
        <View style={{ flex: 1 }}>
          <Text size="large" strong heading={2}>
            {title}
          </Text>
          {shown || summary === '' ? null : (
            <Text size="small" tone="quietInk" lines={2}>
              {summary}
            </Text>
          )}
        </View>
        <Text tone="tawny" size="title" strong>
          {shown ? '−' : '+'}
        </Text>
      </Pressable>
      {shown ? <View style={{ padding: SPACE(4), paddingTop: 0, gap: SPACE(3) }}>{children}</View> : null}
    </View>
  );
}
