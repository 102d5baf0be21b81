import { useId, useState } from 'react';
import { View } from 'react-native';
import Svg, { Defs, G, Line, Path, Pattern, Rect, Text as SvgText } from 'react-native-svg';
import type { Panorama } from '@tawny/contract';
import { useTheme } from '../../ui/theme';
import { FONT } from '../../ui/tokens';
import { ladderGaps, rungExtent, type LadderGap } from './ladderMath';

/** Room for what is said of a gap. */
const GAP_WORDS_PX = 180;
/** What no frame holds is lost; shadows under what the longest one records well are there, with more noise. */
const toneOf = ({ dark }: LadderGap) => (dark ? 'ochre' : 'madder');

/** Rungs narrower than this have no label. */
const LEAST_PX = 14;
/** Of a digit of the labels, px. */
const DIGIT_PX = 6.6;

/** Whether all shutter speeds stand across rungs of a width; else they run along them. */
export const labelsAcross = (shutters: readonly string[], widthPx: number): boolean =>
  shutters.every((s) => s.length * DIGIT_PX <= widthPx);

interface ExposureLadderProps {
  /** EV100 of each frame of a view, any order. */
  ev: readonly number[];
  bits: number;
  histogram?: Panorama['histogram'];
  shutters: readonly string[];
}

/** A view's frames stacked by EV: what each records well, the scene's histogram up the side, gaps hatched and named. */
export function ExposureLadder({ ev, bits, histogram, shutters }: ExposureLadderProps) {
  const { palette } = useTheme();
  const [width, setWidth] = useState(0);
  const id = useId().replace(/[^a-zA-Z0-9]/g, '');
  const rungs = ev.map((e) => rungExtent(e, bits));
  const occupied = histogram
    ? histogram.sr.map((sr, i) => ({ stop: histogram.firstStop + i / histogram.binsPerStop, sr }))
    : [];
  const high = Math.ceil(Math.max(...rungs.map((r) => r.top), ...occupied.map((o) => o.stop)) + 1);
  const low = Math.floor(
    Math.min(...rungs.map((r) => r.bottom), ...occupied.filter((o) => o.sr > 1e-4).map((o) => o.stop)) - 1,
  );
  const height = 300;
  const y = (stop: number) => 10 + ((high - stop) / (high - low)) * (height - 20);
  const gaps = ladderGaps(rungs, occupied);
  // Beside the rungs stands the scene, once there is one.
  const side = occupied.length > 1 ? Math.min(96, width * 0.26) : 0;
  const left = 40;
  const rungWidth = Math.max(10, (width - left - side - 12) / Math.max(1, ev.length));
  const across = labelsAcross(shutters, rungWidth - 8);
  const most = Math.max(1e-9, ...occupied.map((o) => Math.log10(1 + o.sr * 1e4)));
  return (
    <View
      onLayout={(e) => setWidth(e.nativeEvent.layout.width)}
      style={{ height }}
      role="img"
      aria-label={`Exposure ladder of ${ev.length} frames${gaps.length ? `, ${gaps.length} gaps` : ', no gaps'}`}
    >
      {width > 0 ? (
        <Svg width={width} height={height} aria-hidden>
          <Defs>
            {(['madder', 'ochre'] as const).map((tone) => (
              <Pattern
                key={tone}
                id={`${id}${tone}`}
                width={6}
                height={6}
                patternUnits="userSpaceOnUse"
                patternTransform="rotate(45)"
              >
                <Line x1={0} y1={0} x2={0} y2={6} stroke={palette[tone]} strokeWidth={2} />
              </Pattern>
            ))}
          </Defs>
          {Array.from({ length: Math.floor((high - low) / 4) + 1 }, (_, i) => Math.ceil(low / 4) * 4 + 4 * i)
            .filter((s) => s <= high)
            .map((s) => (
              <G key={s}>
                <Line x1={left} x2={width} y1={y(s)} y2={y(s)} stroke={palette.hairline} strokeWidth={1} />
                <SvgText
                  x={left - 6}
                  y={y(s) + 4}
                  fontSize={12}
                  fontFamily={FONT.number}
                  fill={palette.quietInk}
                  textAnchor="end"
                >
                  {s}
                </SvgText>
              </G>
            ))}
          {rungs.map((r, i) => (
            <G key={i}>
              <Rect
                x={left + 4 + i * rungWidth}
                y={y(r.top)}
                width={rungWidth - 6}
                height={y(r.bottom) - y(r.top)}
                fill={palette.hairline}
                stroke={palette.quietInk}
                strokeWidth={1}
              />
              <Line
                x1={left + 4 + i * rungWidth}
                x2={left - 2 + (i + 1) * rungWidth}
                y1={y(r.top)}
                y2={y(r.top)}
                stroke={palette.ink}
                strokeWidth={2.4}
              />
              {rungWidth > LEAST_PX ? (
                <SvgText
                  transform={`translate(${left + 1 + (i + 0.5) * rungWidth} ${y(r.top)}) ${across ? 'translate(0 16)' : 'translate(4 6) rotate(-90)'}`}
                  fontSize={11}
                  fontFamily={FONT.number}
                  fill={palette.ink}
                  textAnchor={across ? 'middle' : 'end'}
                >
                  {shutters[i]}
                </SvgText>
              ) : null}
            </G>
          ))}
          {occupied.length > 1 ? (
            <Path
              d={`M${width - side} ${y(occupied[0].stop)} ${occupied.map((o) => `L${width - side + (side * Math.log10(1 + o.sr * 1e4)) / most} ${y(o.stop)}`).join(' ')} L${width - side} ${y(occupied[occupied.length - 1].stop)} Z`}
              fill={palette.tide}
              fillOpacity={0.45}
              stroke={palette.tide}
            />
          ) : null}
          {gaps.map((g) => (
            <G key={g.from}>
              <Rect
                x={left}
                y={y(g.to)}
                width={width - left}
                height={Math.max(3, y(g.from) - y(g.to))}
                fill={`url(#${id}${toneOf(g)})`}
              />
              <Rect x={left + 4} y={y(g.to) + 2} width={GAP_WORDS_PX} height={18} fill={palette.raised} />
              <SvgText
                x={left + 8}
                y={y(g.to) + 15}
                fontSize={13}
                fontFamily={FONT.textStrong}
                fill={palette[toneOf(g)]}
              >{`${(g.to - g.from).toFixed(1)} stops ${g.dark ? 'under all frames' : 'not covered'}`}</SvgText>
            </G>
          ))}
        </Svg>
      ) : null}
    </View>
  );
}
