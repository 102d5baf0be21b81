import { useState } from 'react';
import { Pressable, View } from 'react-native';
import { LineChart } from 'react-native-chart-kit';
import type { Panorama } from '@tawny/contract';
import { Notice } from '../../ui/Notice';
import { Panel, Row } from '../../ui/Panel';
import { RestsOn } from '../../ui/RestsOn';
import { StateShape, type StateName } from '../../ui/StateMark';
import { Figure, Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { FONT, SPACE, TARGET } from '../../ui/tokens';

const STATES: Record<Panorama['checks'][number]['verdict'], StateName> = {
  good: 'complete',
  doubtful: 'doubtful',
  lost: 'lost',
};

type Check = Panorama['checks'][number];
const ORDER: Record<Check['verdict'], number> = { lost: 0, doubtful: 1, good: 2 };
const titled = (name: string) => name.replace(/^./, (l) => l.toUpperCase());

/** Figures of very different sizes, three digits each; what is tiny (places in steradians) as a power of ten. */
const figure = (v: number) =>
  v !== 0 && Math.abs(v) < 1e-4
    ? v.toExponential(1)
    : Math.abs(v) < 0.001
      ? Number(v.toPrecision(2)).toString()
      : Number(v.toPrecision(3)).toString();

/** What the panorama holds and what it lost, each with a verdict and what to do. */
export function CheckSheet({ panorama }: { panorama: Panorama }) {
  // Said at the top, and not again.
  const lost = panorama.checks.find((c) => c.name === 'clipped' && c.verdict === 'lost');
  return (
    <Panel
      title="Check sheet"
      aside={
        <Text
          size="small"
          tone="quietInk"
        >{`v${String(panorama.number).padStart(3, '0')} · ${panorama.widthPx} × ${panorama.heightPx} px · built in ${panorama.buildSeconds.toFixed(0)} s`}</Text>
      }
    >
      {lost ? <Notice state="lost" title="This panorama has lost its highlights" detail={lost.words} /> : null}
      <SunLine panorama={panorama} />
      {panorama.checks
        .filter((c) => c.verdict !== 'good' && c !== lost)
        .sort((a, b) => ORDER[a.verdict] - ORDER[b.verdict])
        .map((c) => (
          <CheckRow key={c.name} check={c} />
        ))}
      <RestsOn basis={panorama.basis} again="Build it again to have it as things are now." />
      <GoodChecks checks={panorama.checks.filter((c) => c.verdict === 'good')} />
      {panorama.warnings.map((w) => (
        <Text key={w} size="small" tone="ochre">
          {w}
        </Text>
      ))}
      <LightByStops panorama={panorama} />
    </Panel>
  );
}

function CheckRow({ check: c }: { check: Check }) {
  const { palette } = useTheme();
  return (
    <View
      style={{
        flexDirection: 'row',
        gap: SPACE(3),
        alignItems: 'flex-start',
        borderTopWidth: 1,
        borderColor: palette.hairline,
        paddingTop: SPACE(2),
      }}
    >
      <View style={{ paddingTop: 5 }}>
        <StateShape state={STATES[c.verdict]} />
      </View>
      <View style={{ flex: 1 }}>
        <Row wrap gap={2} style={{ justifyContent: 'space-between' }}>
          <Text strong>{titled(c.name)}</Text>
          <Figure value={c.value === null ? '–' : figure(c.value)} unit={c.unit} size="large" />
        </Row>
        <Text size="small" tone="quietInk">
          {c.words}
        </Text>
      </View>
    </View>
  );
}

/** What is in order: how much is said, which it is and what it means is a tap away each. */
function GoodChecks({ checks }: { checks: readonly Check[] }) {
  const { palette } = useTheme();
  const [shown, setShown] = useState(false);
  const [open, setOpen] = useState<string | null>(null);
  if (checks.length === 0) return null;
  return (
    <View style={{ borderTopWidth: 1, borderColor: palette.hairline, paddingTop: SPACE(2) }}>
      <Pressable
        role="button"
        aria-expanded={shown}
        aria-label="What is in order"
        onPress={() => setShown(!shown)}
        style={{ minHeight: TARGET, justifyContent: 'center' }}
      >
        <Row gap={2}>
          <StateShape state="complete" />
          <Text strong style={{ flex: 1 }}>{`${checks.length} in order`}</Text>
          <Text tone="quietInk">{shown ? 'Close' : 'Show'}</Text>
        </Row>
      </Pressable>
      {(shown ? checks : []).map((c) => (
        <Pressable
          key={c.name}
          role="button"
          aria-expanded={open === c.name}
          aria-label={`What ${c.name} means`}
          onPress={() => setOpen(open === c.name ? null : c.name)}
          style={{ minHeight: TARGET, justifyContent: 'center' }}
        >
          <Row gap={2} style={{ justifyContent: 'space-between' }}>
            <Text>{titled(c.name)}</Text>
            <Figure value={c.value === null ? '–' : figure(c.value)} unit={c.unit} size="large" />
          </Row>
          {open === c.name ? (
            <Text size="small" tone="quietInk">
              {c.words}
            </Text>
          ) : null}
        </Pressable>
      ))}
    </View>
  );
}

function SunLine({ panorama: { sun } }: { panorama: Panorama }) {
  return (
    <Row gap={2} style={{ alignItems: 'flex-start' }}>
      <View style={{ paddingTop: 4 }}>
        <StateShape state={sun ? (sun.clipped ? 'lost' : 'complete') : 'open'} />
      </View>
      <Text style={{ flex: 1 }}>
        {sun
          ? `Sun ${sun.diameterDeg.toFixed(2)}° across: ${sun.clipped ? 'found, but clipped; its energy is a lower bound' : 'found whole; direction and energy are measured'}${sun.witnessed ? '. Its surroundings leave open whether it is the sun: the almanac has it at this height' : ''}`
          : 'No sun in this panorama: north needs another source'}
      </Text>
    </Row>
  );
}

/** Share of the sphere by brightness, one point a stop. */
function LightByStops({ panorama }: { panorama: Panorama }) {
  const { palette } = useTheme();
  const [width, setWidth] = useState(0);
  const { firstStop, binsPerStop, sr } = panorama.histogram;
  const first = Math.floor(firstStop);
  const stops = Math.max(2, Math.ceil(firstStop + sr.length / binsPerStop - first));
  const share = Array.from({ length: stops }, () => 0);
  sr.forEach((v, i) => {
    share[Math.min(stops - 1, Math.floor(firstStop + i / binsPerStop - first))] += (100 * v) / (4 * Math.PI);
  });
  const every = Math.max(1, Math.round(stops / 7));
  return (
    <View onLayout={(e) => setWidth(e.nativeEvent.layout.width)} style={{ gap: SPACE(1) }}>
      <Text size="small" tone="quietInk">
        Share of the sphere in % by brightness, log2 of value in stops
      </Text>
      {width > 0 ? (
        <LineChart
          data={{
            labels: share.map((_, i) => (i % every === 0 ? String(first + i) : '')),
            datasets: [{ data: share }],
          }}
          width={width}
          height={170}
          withShadow={false}
          withDots={false}
          withInnerLines={false}
          yAxisSuffix="%"
          segments={3}
          chartConfig={{
            backgroundGradientFrom: palette.raised,
            backgroundGradientTo: palette.raised,
            decimalPlaces: 0,
            color: () => palette.tide,
            labelColor: () => palette.quietInk,
            strokeWidth: 2,
            propsForLabels: { fontFamily: FONT.number, fontSize: 12 },
          }}
          style={{ marginLeft: -8 }}
        />
      ) : null}
    </View>
  );
}
