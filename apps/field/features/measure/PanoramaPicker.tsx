import { Image, Pressable, ScrollView, View } from 'react-native';
import { fileAddress } from '../../data/api';
import { useProductionCode } from '../../data/queries';
import { clockShort } from '../../data/time';
import { Brackets } from '../../ui/Choice';
import { intoView } from '../../ui/intoView';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { RADIUS, SPACE } from '../../ui/tokens';
import type { ShotPanorama } from './useChosenPanorama';

const PICTURE = { width: 148, height: 74 };

interface PanoramaPickerProps {
  shot: readonly ShotPanorama[];
  chosen: string | undefined;
  zone: string;
  onChoose: (id: string) => void;
}

/** The panoramas of a setup with small pictures: round, light, time and version of each. Nothing to choose is nothing to show. */
export function PanoramaPicker({ shot, chosen, zone, onChoose }: PanoramaPickerProps) {
  const { palette } = useTheme();
  const code = useProductionCode();
  if (shot.length < 2) return null;
  return (
    <ScrollView
      horizontal
      style={{ flexGrow: 0 }}
      contentContainerStyle={{ gap: SPACE(3) }}
      role="radiogroup"
      aria-label="Panorama"
    >
      {shot.map(({ panorama, round }) => {
        const own = panorama.id === chosen;
        const what = `${round.name}, ${round.lightCondition}`;
        return (
          <Pressable
            key={panorama.id}
            ref={own ? intoView : undefined}
            role="radio"
            aria-checked={own}
            aria-label={`${what}, version ${panorama.number}`}
            onPress={() => onChoose(panorama.id)}
            style={{ padding: SPACE(2), gap: SPACE(1), width: PICTURE.width + 2 * SPACE(2) }}
          >
            {own ? <Brackets colour={palette.ink} /> : null}
            <View style={{ backgroundColor: palette.surround, padding: 4, borderRadius: RADIUS }}>
              <Image
                source={{ uri: fileAddress('panoramas.preview', { production: code, id: panorama.id }) }}
                style={{ width: PICTURE.width - 8, height: PICTURE.height - 4 }}
                accessibilityLabel=""
              />
            </View>
            <Text size="small" strong={own} tone={own ? 'ink' : 'quietInk'} lines={1}>
              {what}
            </Text>
            <Text size="small" tone="quietInk">{`${clockShort(round.shotAt, zone)} · version ${panorama.number}`}</Text>
          </Pressable>
        );
      })}
    </ScrollView>
  );
}
