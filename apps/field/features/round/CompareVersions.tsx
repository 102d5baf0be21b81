import { useState } from 'react';
import { Image, View, type GestureResponderEvent } from 'react-native';
import type { Panorama } from '@tawny/contract';
import { fileAddress } from '../../data/api';
import { useAnswer, useProductionCode } from '../../data/queries';
import { Choice } from '../../ui/Choice';
import { Panel, Reading, Row } from '../../ui/Panel';
import { Figure, Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';

const version = (p: Panorama) => `v${String(p.number).padStart(3, '0')}`;

/** Two versions of a panorama: a wipe between them and the difference in stops. */
export function CompareVersions({ panoramas }: { panoramas: readonly Panorama[] }) {
  const code = useProductionCode();
  const { palette } = useTheme();
  const [newer, ...older] = panoramas;
  const [against, setAgainst] = useState(older[0].id);
  const [share, setShare] = useState(0.5);
  const [width, setWidth] = useState(0);
  const other = older.find((p) => p.id === against) ?? older[0];
  const difference = useAnswer('panoramas.difference', {
    params: { id: newer.id },
    query: { against: other.id },
  });
  const touch = (e: GestureResponderEvent) =>
    setShare(Math.max(0, Math.min(1, e.nativeEvent.locationX / Math.max(1, width))));
  const keys = (e: { key: string; preventDefault: () => void }) => {
    const step = { ArrowLeft: -0.05, ArrowRight: 0.05 }[e.key];
    if (step === undefined) return;
    e.preventDefault();
    setShare((s) => Math.max(0, Math.min(1, s + step)));
  };
  const picture = (p: Panorama) => (
    <Image
      source={{ uri: fileAddress('panoramas.preview', { production: code, id: p.id }) }}
      style={{ width, height: width / 2 }}
      accessibilityLabel={version(p)}
    />
  );
  return (
    <Panel
      title="Two versions"
      aside={
        older.length > 1 ? (
          <Choice
            label="Compare with"
            options={older.map((p) => ({ value: p.id, title: version(p) }))}
            value={other.id}
            onChange={setAgainst}
          />
        ) : undefined
      }
    >
      <View
        onLayout={(e) => setWidth(e.nativeEvent.layout.width)}
        onStartShouldSetResponder={() => true}
        onMoveShouldSetResponder={() => true}
        onResponderGrant={touch}
        onResponderMove={touch}
        role="slider"
        tabIndex={0}
        aria-label={`Wipe between ${version(other)} and ${version(newer)}`}
        aria-valuenow={Math.round(100 * share)}
        aria-valuemin={0}
        aria-valuemax={100}
        style={
          { backgroundColor: palette.surround, height: width / 2, overflow: 'hidden', cursor: 'ew-resize' } as object
        }
        {...({ onKeyDown: keys } as object)}
      >
        <View style={{ pointerEvents: 'none' }}>{picture(newer)}</View>
        <View
          style={{
            position: 'absolute',
            left: 0,
            top: 0,
            width: share * width,
            height: width / 2,
            overflow: 'hidden',
            borderRightWidth: 2,
            borderColor: palette.onSurround,
            pointerEvents: 'none',
          }}
        >
          {picture(other)}
        </View>
      </View>
      <Text
        size="small"
        tone="quietInk"
      >{`Left ${version(other)}, right ${version(newer)}; drag or use the arrow keys.`}</Text>
      {difference.data ? (
        <Row wrap gap={4}>
          <Reading label="Median difference">
            <Figure value={difference.data.medianStops.toFixed(3)} unit="stop" testID="difference-median" />
          </Reading>
          <Reading label="95 % of the sphere within">
            <Figure value={difference.data.p95Stops.toFixed(3)} unit="stop" />
          </Reading>
          <Reading label="Changed by more than 0.05 stop">
            <Figure value={difference.data.changedPercent.toFixed(1)} unit="%" />
          </Reading>
        </Row>
      ) : (
        <Text tone={difference.error ? 'madder' : 'quietInk'}>{difference.error?.message ?? 'Comparing ...'}</Text>
      )}
    </Panel>
  );
}
