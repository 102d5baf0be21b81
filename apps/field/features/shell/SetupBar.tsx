import { Pressable, ScrollView } from 'react-native';
import type { Setup } from '@tawny/contract';
import { Brackets } from '../../ui/Choice';
import { intoView } from '../../ui/intoView';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { SPACE, TARGET } from '../../ui/tokens';

/** Which setup a place talks about; the chosen one stands in brackets. */
export function SetupBar({
  setups,
  chosen,
  onChoose,
}: {
  setups: readonly Setup[];
  chosen: string;
  onChoose: (id: string) => void;
}) {
  const { palette } = useTheme();
  return (
    <ScrollView
      horizontal
      showsHorizontalScrollIndicator={false}
      style={{ flexGrow: 0 }}
      contentContainerStyle={{ gap: SPACE(2) }}
      role="radiogroup"
      aria-label="Setup"
    >
      {setups.map((s) => (
        <Pressable
          key={s.id}
          ref={s.id === chosen ? intoView : undefined}
          role="radio"
          aria-checked={s.id === chosen}
          aria-label={s.name}
          onPress={() => onChoose(s.id)}
          style={{ minHeight: TARGET, justifyContent: 'center', paddingHorizontal: SPACE(3) }}
        >
          {s.id === chosen ? <Brackets colour={palette.ink} /> : null}
          <Text strong={s.id === chosen} tone={s.id === chosen ? 'ink' : 'quietInk'}>{`${s.slate}  ${s.name}`}</Text>
        </Pressable>
      ))}
    </ScrollView>
  );
}
