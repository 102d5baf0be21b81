import { useEffect, useMemo, useRef, useState } from 'react';
import { View } from 'react-native';
import Svg, { Line, Polyline, Text as SvgText } from 'react-native-svg';
import type { Panorama, Plate } from '@tawny/contract';
import type { ColourMatrix, Levels } from '@tawny/core';
import { LEVEL_BINS, LEVELS } from '@tawny/core/compare/levels';
import { signed } from '@tawny/core/text/signed';
import { useOperation } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Fold } from '../../ui/Fold';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { usePlateLight } from '../../ui/panorama/plateLight';
import { useFloatPicture } from '../../ui/panorama/useFloatPicture';
import { Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { FONT, SPACE } from '../../ui/tokens';
import { seenLevels } from './seenLevels';
import { quaternionOf, type SightView } from './sightMath';
import { useSettledTurn, type TurnStore } from './useTurn';

interface LevelsPanelProps {
  panorama: Panorama;
  plate: Plate;
  view: SightView;
  hand: TurnStore;
  gainStops: number | null;
  colours: ColourMatrix | null;
}

/** How bright plate and panorama are where both are seen through one lens: beside each other on one axis of stops. */
export function LevelsPanel(p: LevelsPanelProps) {
  return (
    <Fold title="Levels" summary="Black, mid grey and highlights of plate and panorama, in stops">
      <Measured {...p} />
    </Fold>
  );
}

function Measured({ panorama, plate, view, hand, gainStops, colours }: LevelsPanelProps) {
  const light = usePlateLight(plate.id, plate.version);
  const float = useFloatPicture(panorama);
  const turn = useSettledTurn(hand);
  const levels = useMemo(
    () =>
      light.data && float.data
        ? seenLevels(view, quaternionOf(turn), light.data, { ...float.data, space: panorama.space, gainStops, colours })
        : null,
    [light.data, float.data, view, turn, gainStops, colours, panorama.space],
  );
  const failed = light.error ?? float.error;
  if (failed) return <Text>{failed.message}</Text>;
  if (light.data === null)
    return <Text>Nobody said what the code values of this plate mean: state it where its exposure is measured.</Text>;
  if (!levels) return <Text tone="quietInk">Reading the pictures ...</Text>;
  return (
    <View style={{ gap: SPACE(2) }}>
      <Scopes {...levels} />
      <LevelWords name="Plate" levels={levels.plate} />
      <LevelWords name="Panorama" levels={levels.panorama} />
      {gainStops === null ? (
        <Text size="small" tone="quietInk">
          No gain was measured for this take: the middle of the panorama is laid on the plate’s.
        </Text>
      ) : null}
      <PlateLooks plate={plate} />
    </View>
  );
}

const LevelWords = ({ name, levels }: { name: string; levels: Levels }) => (
  <Text size="small" testID={`levels-${name.toLowerCase()}`}>
    {`${name}: black ${signed(levels.blackStops, 1)}, middle ${signed(levels.middleStops, 1)}, highlights ${signed(levels.highlightStops, 1)} stop from mid grey`}
  </Text>
);

/** Black, grain and edge blur of the plate, measured when they are wanted. */
function PlateLooks({ plate }: { plate: Plate }) {
  const measure = useOperation('plates.measureCharacter', { id: plate.id });
  const { character } = plate;
  const middle = character?.grain.sigmaAt[character.grain.sigmaAt.length >> 1];
  const small = (v: number) => Number(v.toPrecision(2)).toString();
  return (
    <View style={{ gap: SPACE(2) }}>
      {character && middle ? (
        <Text size="small" testID="plate-character">
          {`Plate: darkest ${character.black.map(small).join(' ')}, grain ${small(middle[1])} at ${small(middle[0])} (linear light), ${character.grain.sizePx.toFixed(1)} px wide, ${
            character.edgeBlurPx === null
              ? 'no edge tells its blur'
              : `edges blurred by ${character.edgeBlurPx.toFixed(2)} px`
          }. It goes into the package.`}
        </Text>
      ) : null}
      {measure.error ? <Notice state="lost" title="The plate was not measured" detail={measure.error.message} /> : null}
      <Row>
        <Action
          grow
          title={character ? 'Measure black, grain and blur again' : 'Measure black, grain and blur of the plate'}
          busy={measure.isPending}
          onPress={() => measure.mutate({})}
        />
      </Row>
    </View>
  );
}

const HEIGHT = 220;
const GAP = 10;
const AXIS = 30;
/** Share of the width that the histograms get. */
const HISTOGRAM = 0.24;

/** Waveforms of both, then both histograms, over one axis of stops. */
function Scopes({ plate, panorama }: { plate: Levels; panorama: Levels }) {
  const { palette } = useTheme();
  const [width, setWidth] = useState(0);
  const room = Math.max(0, width - AXIS - 2 * GAP);
  const histogramX = AXIS + (1 - HISTOGRAM) * room + 2 * GAP;
  const each = ((1 - HISTOGRAM) * room) / 2;
  const y = (stops: number) => HEIGHT * (1 - (stops - LEVELS.lowStops) / (LEVELS.highStops - LEVELS.lowStops));
  const ticks = [-8, -6, -4, -2, 0, 2, 4, 6];
  const most = Math.max(...plate.histogram, ...panorama.histogram);
  const curve = ({ histogram }: Levels) =>
    Array.from(
      histogram,
      (v, k) => `${histogramX + (HISTOGRAM * room * v) / most},${HEIGHT * (1 - (k + 0.5) / LEVEL_BINS)}`,
    ).join(' ');
  const number = { fontFamily: FONT.number, fontSize: 12, fill: palette.onSurround } as const;
  return (
    <View
      onLayout={(e) => setWidth(Math.round(e.nativeEvent.layout.width))}
      role="img"
      aria-label="Waveforms and histograms of plate and panorama"
      testID="scopes"
      style={{ height: HEIGHT + 22, backgroundColor: palette.surround }}
    >
      {width > 0 ? (
        <>
          <Waveform levels={plate} left={AXIS} width={each} />
          <Waveform levels={panorama} left={AXIS + each + GAP} width={each} />
          <Svg width={width} height={HEIGHT + 22} style={{ position: 'absolute', top: 0, left: 0 }}>
            {ticks.map((t) => (
              <Line
                key={t}
                x1={AXIS}
                x2={width}
                y1={y(t)}
                y2={y(t)}
                stroke={palette.onSurround}
                strokeOpacity={t === 0 ? 0.9 : 0.25}
              />
            ))}
            {ticks.map((t) => (
              <SvgText key={t} {...number} x={AXIS - 4} y={y(t) + 4} textAnchor="end">
                {t === 0 ? '0' : signed(t, 0)}
              </SvgText>
            ))}
            <Polyline points={curve(plate)} fill="none" stroke={palette.onSurround} strokeWidth={1.5} />
            <Polyline
              points={curve(panorama)}
              fill="none"
              stroke={palette.onSurround}
              strokeWidth={1.5}
              strokeDasharray="4 3"
            />
            <SvgText {...number} x={AXIS} y={HEIGHT + 15}>
              Plate —
            </SvgText>
            <SvgText {...number} x={AXIS + each + GAP} y={HEIGHT + 15}>
              Panorama - -
            </SvgText>
          </Svg>
        </>
      ) : null}
    </View>
  );
}

/** A waveform: a column for each of the picture's, the brighter the more of it lies there. */
function Waveform({ levels, left, width }: { levels: Levels; left: number; width: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    const image = context.createImageData(levels.columns, LEVEL_BINS);
    for (let x = 0; x < levels.columns; x++)
      for (let bin = 0; bin < LEVEL_BINS; bin++) {
        const i = 4 * ((LEVEL_BINS - 1 - bin) * levels.columns + x);
        const share = levels.waveform[x * LEVEL_BINS + bin];
        image.data.fill(255, i, i + 3);
        image.data[i + 3] = Math.round(255 * Math.min(1, Math.sqrt(3 * share)));
      }
    context.putImageData(image, 0, 0);
  }, [levels]);
  return (
    <canvas
      ref={canvas}
      width={levels.columns}
      height={LEVEL_BINS}
      style={{ position: 'absolute', top: 0, left, width, height: HEIGHT }}
    />
  );
}
