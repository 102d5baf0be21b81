import { View } from 'react-native';
import { Text } from '../Text';
import { useTheme } from '../theme';
import { SPACE } from '../tokens';
import { cssOfStop, SCALE_STOPS } from './falseColour';

/** The false colour scale, printed beside the picture on its neutral surround. */
export function ScaleBar() {
  const { palette } = useTheme();
  const stops = Array.from({ length: 2 * SCALE_STOPS + 1 }, (_, i) => i - SCALE_STOPS);
  return (
    <View
      style={{ backgroundColor: palette.surround, paddingHorizontal: SPACE(2), paddingBottom: SPACE(2) }}
      role="img"
      aria-label={`False colour: stops from mid grey, ${-SCALE_STOPS} to ${SCALE_STOPS}; black hatching where light was cut off`}
      testID="scale-bar"
    >
      <View style={{ flexDirection: 'row' }}>
        {stops.map((s) => (
          <View key={s} style={{ flex: 1, height: 14, backgroundColor: cssOfStop(s) }} />
        ))}
      </View>
      <View style={{ flexDirection: 'row' }}>
        {stops.map((s) => (
          <View key={s} style={{ flex: 1, alignItems: 'center' }}>
            <Text size="small" style={{ color: palette.onSurround }}>
              {s % 2 === 0 ? `${s > 0 ? '+' : s < 0 ? '−' : ''}${Math.abs(s)}` : ''}
            </Text>
          </View>
        ))}
      </View>
      <Text size="small" style={{ color: palette.onSurround }}>
        stops from mid grey at this exposure; hatched black where light was cut off
      </Text>
    </View>
  );
}
