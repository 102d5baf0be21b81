import { useId, useState } from 'react';
import { View, type GestureResponderEvent } from 'react-native';
import Svg, { Circle, ClipPath, Defs, G, Line, Path, Pattern, Polygon, Rect, Text as SvgText } from 'react-native-svg';
import { DateTime } from 'luxon';
import { clock } from '../../data/time';
import { useTheme } from '../../ui/theme';
import { FONT } from '../../ui/tokens';

/** A named light condition and the time it held. */
export interface LightBand {
  name: string;
  from: Date | null;
  to: Date | null;
}

export interface LightMark {
  at: Date;
  kind: 'take' | 'round';
}

interface LightLineProps {
  curve: readonly { utc: Date; elevationDeg: number }[];
  zone: string;
  marks: readonly LightMark[];
  bands?: readonly LightBand[];
  now: Date | null;
  asked: Date;
  onAsk: (at: Date) => void;
  height?: number;
}

const STEP_MS = 5 * 60000;
const PAD = { left: 34, right: 10, top: 14, bottom: 26 };

/** The day's sun-elevation curve: night hatched, takes as ticks, rounds as pins, a plumb line where one asks. */
export function LightLine({ curve, zone, marks, bands = [], now, asked, onAsk, height = 190 }: LightLineProps) {
  const { palette } = useTheme();
  const [width, setWidth] = useState(0);
  const id = useId().replace(/[^a-zA-Z0-9]/g, '');
  const start = curve[0].utc.getTime();
  const end = curve[curve.length - 1].utc.getTime();
  const peak = Math.max(10, ...curve.map((p) => p.elevationDeg));
  const low = -0.35 * peak;
  const w = Math.max(1, width - PAD.left - PAD.right);
  const h = height - PAD.top - PAD.bottom;
  const x = (t: number) => PAD.left + ((t - start) / (end - start)) * w;
  const y = (el: number) => PAD.top + ((peak * 1.12 - Math.max(el, low)) / (peak * 1.12 - low)) * h;
  const line = curve
    .map((p, i) => `${i ? 'L' : 'M'}${x(p.utc.getTime()).toFixed(1)} ${y(p.elevationDeg).toFixed(1)}`)
    .join(' ');
  const elevationAt = (t: number) => {
    const i = Math.min(curve.length - 2, Math.max(0, Math.floor(((t - start) / (end - start)) * (curve.length - 1))));
    const f = (t - curve[i].utc.getTime()) / (curve[i + 1].utc.getTime() - curve[i].utc.getTime());
    return curve[i].elevationDeg + f * (curve[i + 1].elevationDeg - curve[i].elevationDeg);
  };
  const ask = (t: number) => onAsk(new Date(Math.min(end, Math.max(start, Math.round(t / STEP_MS) * STEP_MS))));
  const touch = (e: GestureResponderEvent) => ask(start + ((e.nativeEvent.locationX - PAD.left) / w) * (end - start));
  const keys = (e: { key: string; preventDefault: () => void }) => {
    const step = { ArrowLeft: -STEP_MS, ArrowRight: STEP_MS, PageUp: 12 * STEP_MS, PageDown: -12 * STEP_MS }[e.key];
    if (step === undefined) return;
    e.preventDefault();
    ask(asked.getTime() + step);
  };
  const every = end - start > 15 * 3600000 ? 6 : end - start > 9 * 3600000 ? 3 : 2;
  const hours = Array.from({ length: 24 / every }, (_, i) =>
    DateTime.fromMillis((start + end) / 2, { zone })
      .startOf('day')
      .set({ hour: i * every })
      .toMillis(),
  ).filter((t) => t > start && t < end);
  const rises = Math.ceil(peak / 3 / 5) * 5;
  const askedX = x(asked.getTime());
  return (
    <View
      onLayout={(e) => setWidth(e.nativeEvent.layout.width)}
      onStartShouldSetResponder={() => true}
      onMoveShouldSetResponder={() => true}
      onResponderGrant={touch}
      onResponderMove={touch}
      role="slider"
      aria-label="Light line: drag or use the arrow keys to ask about another time"
      aria-valuetext={`${clock(asked, zone)}, sun at ${elevationAt(asked.getTime()).toFixed(1)} degrees`}
      tabIndex={0}
      testID="light-line"
      style={{ height, cursor: 'pointer', userSelect: 'none' } as object}
      {...({ onKeyDown: keys } as object)}
    >
      {width > 0 ? (
        <Svg width={width} height={height} style={{ pointerEvents: 'none' }} aria-hidden>
          <Defs>
            <Pattern id={`${id}h`} width={6} height={6} patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
              <Line x1={0} y1={0} x2={0} y2={6} stroke={palette.hairline} strokeWidth={2} />
            </Pattern>
            <ClipPath id={`${id}d`}>
              <Rect x={PAD.left} y={PAD.top} width={w} height={y(0) - PAD.top} />
            </ClipPath>
          </Defs>
          <Rect x={PAD.left} y={y(0)} width={w} height={PAD.top + h - y(0)} fill={`url(#${id}h)`} />
          {Array.from({ length: Math.floor((peak * 1.1) / rises) }, (_, i) => (i + 1) * rises).map((el) => (
            <G key={el}>
              <Line x1={PAD.left} x2={PAD.left + w} y1={y(el)} y2={y(el)} stroke={palette.hairline} strokeWidth={1} />
              <SvgText
                x={PAD.left - 6}
                y={y(el) + 4}
                fontSize={12}
                fontFamily={FONT.number}
                fill={palette.quietInk}
                textAnchor="end"
              >{`${el}°`}</SvgText>
            </G>
          ))}
          <Line x1={PAD.left} x2={PAD.left + w} y1={y(0)} y2={y(0)} stroke={palette.quietInk} strokeWidth={1} />
          <SvgText
            x={PAD.left - 6}
            y={y(0) + 4}
            fontSize={12}
            fontFamily={FONT.number}
            fill={palette.quietInk}
            textAnchor="end"
          >
            0°
          </SvgText>
          {hours.map((t) => (
            <G key={t}>
              <Line x1={x(t)} x2={x(t)} y1={PAD.top + h} y2={PAD.top + h + 4} stroke={palette.quietInk} />
              <SvgText
                x={x(t)}
                y={height - 8}
                fontSize={12}
                fontFamily={FONT.number}
                fill={palette.quietInk}
                textAnchor="middle"
              >
                {DateTime.fromMillis(t, { zone }).toFormat('HH:mm')}
              </SvgText>
            </G>
          ))}
          <Path d={line} stroke={palette.quietInk} strokeWidth={1.4} fill="none" />
          <Path d={line} stroke={palette.ink} strokeWidth={2.6} fill="none" clipPath={`url(#${id}d)`} />
          {marks
            .filter((m) => m.at.getTime() >= start && m.at.getTime() <= end)
            .map((m, i) => {
              const mx = x(m.at.getTime());
              const my = y(elevationAt(m.at.getTime()));
              return m.kind === 'take' ? (
                <Line key={i} x1={mx} x2={mx} y1={my - 8} y2={my + 8} stroke={palette.ink} strokeWidth={2} />
              ) : (
                <G key={i}>
                  <Line x1={mx} x2={mx} y1={my} y2={my - 20} stroke={palette.tide} strokeWidth={2} />
                  <Circle cx={mx} cy={my - 22} r={5} fill={palette.tide} />
                </G>
              );
            })}
          {now && now.getTime() >= start && now.getTime() <= end ? (
            <G>
              <Line
                x1={x(now.getTime())}
                x2={x(now.getTime())}
                y1={PAD.top}
                y2={PAD.top + h}
                stroke={palette.madder}
                strokeWidth={1.4}
                strokeDasharray="2 4"
              />
              <SvgText
                x={x(now.getTime())}
                y={PAD.top - 3}
                fontSize={12}
                fontFamily={FONT.text}
                fill={palette.madder}
                textAnchor="middle"
              >
                now
              </SvgText>
            </G>
          ) : null}
          <Line x1={askedX} x2={askedX} y1={PAD.top} y2={PAD.top + h - 8} stroke={palette.tawny} strokeWidth={1.6} />
          <Polygon
            points={`${askedX - 5},${PAD.top + h - 9} ${askedX + 5},${PAD.top + h - 9} ${askedX},${PAD.top + h}`}
            fill={palette.tawny}
          />
          {bands.map((b, i) => {
            const from = Math.max(start, b.from?.getTime() ?? start);
            const to = Math.min(end, b.to?.getTime() ?? end);
            if (to <= from) return null;
            return (
              <G key={b.name}>
                <Line
                  x1={x(from) + 1}
                  x2={x(to) - 1}
                  y1={PAD.top + 3 + i * 15}
                  y2={PAD.top + 3 + i * 15}
                  stroke={palette.ochre}
                  strokeWidth={3}
                />
                {/* Lines give way to the word: its outline in the ground's colour stands under it. */}
                {[palette.raised, 'none'].map((outline) => (
                  <SvgText
                    key={outline}
                    x={Math.min(x(to) - 2, PAD.left + w)}
                    y={PAD.top + 16 + i * 15}
                    fontSize={12}
                    fontFamily={FONT.text}
                    fill={palette.quietInk}
                    stroke={outline}
                    strokeWidth={5}
                    strokeLinejoin="round"
                    textAnchor="end"
                  >
                    {b.name}
                  </SvgText>
                ))}
              </G>
            );
          })}
          <Circle
            cx={askedX}
            cy={y(elevationAt(asked.getTime()))}
            r={5.5}
            fill={palette.raised}
            stroke={palette.tawny}
            strokeWidth={2.4}
          />
        </Svg>
      ) : null}
    </View>
  );
}
