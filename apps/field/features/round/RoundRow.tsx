import { router } from 'expo-router';
import { Image, Pressable, View } from 'react-native';
import type { LightRound, Panorama } from '@tawny/contract';
import { fileAddress } from '../../data/api';
import { useProductionCode } from '../../data/queries';
import { clock } from '../../data/time';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { RADIUS, SPACE } from '../../ui/tokens';

const [WIDE, HIGH] = [96, 48];

/** A round in a list: its newest panorama as a small picture, its light and its time. */
export function RoundRow({
  round,
  panorama,
  setupId,
  zone,
}: {
  round: LightRound;
  panorama: Panorama | undefined;
  setupId: string;
  zone: string;
}) {
  const code = useProductionCode();
  const { palette } = useTheme();
  return (
    <Pressable
      role="link"
      aria-label={`Open ${round.name}`}
      onPress={() => router.push(`/${code}/round/${round.id}?setup=${setupId}`)}
      style={{
        minHeight: HIGH + 2 * SPACE(2),
        flexDirection: 'row',
        alignItems: 'center',
        gap: SPACE(3),
        borderTopWidth: 1,
        borderColor: palette.hairline,
        paddingVertical: SPACE(2),
      }}
    >
      <View
        style={{
          width: WIDE,
          height: HIGH,
          padding: 4,
          borderRadius: RADIUS,
          backgroundColor: palette.surround,
          justifyContent: 'center',
        }}
      >
        {panorama ? (
          <Image
            source={{ uri: fileAddress('panoramas.preview', { production: code, id: panorama.id }) }}
            style={{ width: WIDE - 8, height: HIGH - 8 }}
            resizeMode="contain"
            accessibilityLabel=""
          />
        ) : (
          <Text size="small" style={{ color: palette.onSurround, textAlign: 'center' }}>
            not built
          </Text>
        )}
      </View>
      <View style={{ flex: 1 }}>
        <Text strong>{round.name}</Text>
        <Text size="small" tone="quietInk">
          {`${round.lightCondition} · ${clock(round.shotAt, zone)}${round.shotAtFrom === 'planned' ? ', planned' : ''}`}
        </Text>
      </View>
      <Text tone="tawny" strong>
        Open
      </Text>
    </Pressable>
  );
}
