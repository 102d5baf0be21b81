import { Image, Pressable, ScrollView, View } from 'react-native';
import { Brackets } from './Choice';
import { intoView } from './intoView';
import { Text } from './Text';
import { useTheme } from './theme';
import { RADIUS, SPACE } from './tokens';

const HEIGHT = 74;

interface PictureChoiceProps {
  label: string;
  /** Width over height of the pictures. */
  aspect: number;
  options: readonly { value: string; uri: string; title: string; detail: string; spoken: string }[];
  value: string | undefined;
  onChange: (value: string) => void;
}

/** One of several pictures, side by side; the chosen one carries corner brackets. The only one, chosen already, is nothing to choose. */
export function PictureChoice({ label, aspect, options, value, onChange }: PictureChoiceProps) {
  const { palette } = useTheme();
  if (options.every((o) => o.value === value)) return null;
  const width = Math.round(HEIGHT * aspect);
  return (
    <ScrollView
      horizontal
      style={{ flexGrow: 0 }}
      contentContainerStyle={{ gap: SPACE(3) }}
      role="radiogroup"
      aria-label={label}
    >
      {options.map((o) => {
        const own = o.value === value;
        return (
          <Pressable
            key={o.value}
            ref={own ? intoView : undefined}
            role="radio"
            aria-checked={own}
            aria-label={o.spoken}
            onPress={() => onChange(o.value)}
            style={{ padding: SPACE(2), gap: SPACE(1), width: width + 2 * SPACE(2) }}
          >
            {own ? <Brackets colour={palette.ink} /> : null}
            <View style={{ backgroundColor: palette.surround, padding: 4, borderRadius: RADIUS }}>
              <Image
                source={{ uri: o.uri }}
                style={{ width: width - 8, height: HEIGHT - 4 }}
                resizeMode="contain"
                accessibilityLabel=""
              />
            </View>
            <Text size="small" strong={own} tone={own ? 'ink' : 'quietInk'} lines={1}>
              {o.title}
            </Text>
            <Text size="small" tone="quietInk" lines={1}>
              {o.detail}
            </Text>
          </Pressable>
        );
      })}
    </ScrollView>
  );
}
