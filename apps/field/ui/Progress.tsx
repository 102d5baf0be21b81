import { View } from 'react-native';
import { Action } from './Action';
import { Row } from './Panel';
import { Figure, Text } from './Text';
import { useTheme } from './theme';
import { SPACE } from './tokens';

/** What is being done, how far, and a way out. */
export function Progress({ stage, fraction, onCancel }: { stage: string; fraction: number; onCancel?: () => void }) {
  const { palette } = useTheme();
  const percent = Math.round(fraction * 100);
  return (
    <View
      style={{ gap: SPACE(2) }}
      role="progressbar"
      aria-valuenow={percent}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-label={stage}
    >
      <Row style={{ justifyContent: 'space-between' }}>
        <Text style={{ flex: 1 }}>{stage}</Text>
        <Figure value={String(percent)} unit="%" size="large" />
      </Row>
      <View style={{ height: 6, backgroundColor: palette.hairline }}>
        <View style={{ height: 6, width: `${percent}%`, backgroundColor: palette.tawny }} />
      </View>
      {onCancel ? (
        <Row>
          <Action title="Cancel" onPress={onCancel} />
        </Row>
      ) : null}
    </View>
  );
}
