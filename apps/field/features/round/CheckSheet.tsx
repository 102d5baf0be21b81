import { useState } from 'react';
import { View } from 'react-native';
import { LineChart } from 'react-native-chart-kit';
import type { Panorama } from '@tawny/contract';
import { Panel, Row } from '../../ui/Panel';
import { StateShape, type StateName } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { FONT, SPACE } from '../../ui/tokens';

interface Check {
  state: StateName;
  name: string;
  value: string;
  unit?: string;
  verdict: string;
}

const SUN_SR = 6.8e-5;

/** What the panorama holds and what it lost, each with a verdict. */
export function checksOf(p: Panorama): Check[] {
  const single = p.framesPerView === 1;
  return [
    { state: single ? 'lost' : p.dynamicRangeStops >= 14 ? 'complete' : 'doubtful', name: 'Dynamic range', value: p.dynamicRangeStops.toFixed(1), unit: 'stops', verdict: single ? 'One exposure: good for reflections, no measured highlights' : p.dynamicRangeStops >= 14 ? 'Enough for an exterior with sun' : 'Thin: shoot more frames or wider steps' },
    { state: p.clippedSr < 1e-6 ? 'complete' : 'lost', name: 'Clipped', value: p.clippedSr < 1e-6 ? '0' : (p.clippedSr / SUN_SR).toFixed(2), unit: 'sun discs', verdict: p.clippedSr < 1e-6 ? 'Every light is inside the ladder' : 'Highlights are lost: add shorter frames or ND and shoot again' },
    { state: p.uncoveredSr < 0.002 ? 'complete' : 'doubtful', name: 'Not seen by any view', value: ((100 * p.uncoveredSr) / (4 * Math.PI)).toFixed(1), unit: '% of the sphere', verdict: p.uncoveredSr < 0.002 ? 'The sphere is closed' : 'A hole stays black' },
    ...(p.seamStops === null ? [] : [{ state: (p.seamStops < 0.08 ? 'complete' : 'doubtful') as StateName, name: 'Views against each other', value: p.seamStops.toFixed(3), unit: 'stop', verdict: p.seamStops < 0.08 ? 'They agree where they overlap' : 'They disagree: light changed, or something moved' }]),
    p.sun
      ? { state: p.sun.clipped ? 'lost' : 'complete', name: 'Sun', value: p.sun.diameterDeg.toFixed(2), unit: '° across', verdict: p.sun.clipped ? 'Found, but clipped: its energy is a lower bound' : 'Found whole: direction and energy are measured' }
      : { state: 'open', name: 'Sun', value: 'none', verdict: 'No sun in this panorama: north needs another source' },
  ];
}

export function CheckSheet({ panorama }: { panorama: Panorama }) {
  const { palette } = useTheme();
  return (
    <Panel title="Check sheet" aside={<Text size="small" tone="quietInk">{`v${String(panorama.number).padStart(3, '0')} · ${panorama.widthPx} × ${panorama.heightPx} px · built in ${panorama.buildSeconds.toFixed(0)} s`}</Text>}>
      {checksOf(panorama).map((c) => (
        <View key={c.name} style={{ flexDirection: 'row', gap: SPACE(3), alignItems: 'flex-start', borderTopWidth: 1, borderColor: palette.hairline, paddingTop: SPACE(2) }}>
          <View style={{ paddingTop: 5 }}>
            <StateShape state={c.state} />
          </View>
          <View style={{ flex: 1 }}>
            <Row wrap gap={2} style={{ justifyContent: 'space-between' }}>
              <Text strong>{c.name}</Text>
              <Figure value={c.value} unit={c.unit} size="large" />
            </Row>
            <Text size="small" tone="quietInk">{c.verdict}</Text>
          </View>
        </View>
      ))}
      {panorama.warnings.map((w) => (
        <Text key={w} size="small" tone="ochre">{w}</Text>
      ))}
      <LightByStops panorama={panorama} />
    </Panel>
  );
}

/** Share of the sphere by brightness, one point a stop. */
function LightByStops({ panorama }: { panorama: Panorama }) {
  const { palette } = useTheme();
  const [width, setWidth] = useState(0);
  const { firstStop, binsPerStop, sr } = panorama.histogram;
  const first = Math.floor(firstStop);
  const stops = Math.max(2, Math.ceil((firstStop + sr.length / binsPerStop - first)));
  const share = Array.from({ length: stops }, () => 0);
  sr.forEach((v, i) => {
    share[Math.min(stops - 1, Math.floor(firstStop + i / binsPerStop - first))] += (100 * v) / (4 * Math.PI);
  });
  const every = Math.max(1, Math.round(stops / 7));
  return (
    <View onLayout={(e) => setWidth(e.nativeEvent.layout.width)} style={{ gap: SPACE(1) }}>
      <Text size="small" tone="quietInk">Share of the sphere in % by brightness, log2 of value in stops</Text>
      {width > 0 ? (
        <LineChart
          data={{ labels: share.map((_, i) => (i % every === 0 ? String(first + i) : '')), datasets: [{ data: share }] }}
          width={width}
          height={170}
          withShadow={false}
          withDots={false}
          withInnerLines={false}
          yAxisSuffix="%"
          segments={3}
          chartConfig={{
            backgroundGradientFrom: palette.raised, backgroundGradientTo: palette.raised, decimalPlaces: 0, color: () => palette.tide, labelColor: () => palette.quietInk, strokeWidth: 2,
            propsForLabels: { fontFamily: FONT.number, fontSize: 12 },
          }}
          style={{ marginLeft: -8 }}
        />
      ) : null}
    </View>
  );
}
