import Button from '@rneui/themed/dist/Button';
import { useTheme, useWide } from './theme';
import { FONT, RADIUS, TARGET } from './tokens';

interface ActionProps {
  title: string;
  onPress: () => void;
  kind?: 'main' | 'quiet';
  busy?: boolean;
  disabled?: boolean;
  hint?: string;
  testID?: string;
  /** Fills the row on a phone, where the thumb wants a wide target. */
  grow?: boolean;
}

/** A button: tawny when it is the thing to do next, outlined otherwise. */
export function Action({
  title,
  onPress,
  kind = 'quiet',
  busy = false,
  disabled = false,
  hint,
  testID,
  grow = false,
}: ActionProps) {
  const { palette } = useTheme();
  const wide = useWide();
  const main = kind === 'main';
  return (
    <Button
      testID={testID}
      // A wheel that turns keeps screen and battery busy for as long as the work takes.
      title={busy ? `${title} …` : title}
      onPress={onPress}
      disabled={disabled || busy}
      accessibilityLabel={title}
      accessibilityHint={hint}
      containerStyle={grow && !wide ? { flexGrow: 1 } : undefined}
      type={main ? 'solid' : 'outline'}
      titleStyle={{ color: main ? palette.onTawny : palette.ink, fontFamily: FONT.textStrong, fontSize: 15 }}
      buttonStyle={{
        backgroundColor: main ? palette.tawny : 'transparent',
        borderColor: main ? palette.tawny : palette.hairline,
        borderWidth: 1,
        borderRadius: RADIUS,
        minHeight: TARGET,
      }}
      disabledStyle={{ backgroundColor: 'transparent', borderColor: palette.hairline }}
      disabledTitleStyle={{ color: palette.quietInk }}
    />
  );
}
