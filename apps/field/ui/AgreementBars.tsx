import { useState } from 'react';
import { View } from 'react-native';
import Svg, { Circle, G, Line, Text as SvgText } from 'react-native-svg';
import { useTheme } from './theme';
import { FONT } from './tokens';

export interface Source {
  name: string;
  value: number;
  /** Half width of the 95 % interval. */
  plusMinus: number;
}

/** Every source of a calibration as a dot with its uncertainty as a whisker on one axis; the adopted value is a line through them. */
export function AgreementBars({
  sources,
  adopted,
  unit,
  digits = 2,
}: {
  sources: readonly Source[];
  adopted: number;
  unit: string;
  digits?: number;
}) {
  const { palette } = useTheme();
  const [width, setWidth] = useState(0);
  const low = Math.min(...sources.map((s) => s.value - s.plusMinus), adopted);
  const high = Math.max(...sources.map((s) => s.value + s.plusMinus), adopted);
  const pad = Math.max((high - low) * 0.12, 1e-6);
  const row = 46;
  const height = sources.length * row + 30;
  const x = (v: number) => 8 + ((v - low + pad) / (high - low + 2 * pad)) * (width - 16);
  /** Nought has no sign. */
  const shown = (v: number) => v.toFixed(digits).replace(/^-(0\.?0*)$/, '$1');
  const suffix = unit === '°' ? unit : ` ${unit}`;
  const text = sources.map((s) => `${s.name} ${shown(s.value)} ± ${s.plusMinus.toFixed(digits)} ${unit}`).join(', ');
  return (
    <View onLayout={(e) => setWidth(e.nativeEvent.layout.width)} role="img" aria-label={text} style={{ height }}>
      {width > 0 ? (
        <Svg width={width} height={height} aria-hidden>
          {sources.map((s, i) => {
            const y = 30 + i * row;
            return (
              <G key={s.name}>
                {/* Through the whiskers, never through a word. */}
                <Line
                  x1={x(adopted)}
                  x2={x(adopted)}
                  y1={y - 9}
                  y2={i === sources.length - 1 ? height - 22 : y + 15}
                  stroke={palette.tawny}
                  strokeWidth={2}
                />
                <SvgText x={8} y={y - 14} fontSize={13} fontFamily={FONT.text} fill={palette.quietInk}>
                  {s.name}
                </SvgText>
                <SvgText
                  x={width - 8}
                  y={y - 14}
                  fontSize={13}
                  fontFamily={FONT.number}
                  fill={palette.ink}
                  textAnchor="end"
                >{`${shown(s.value)} ±${s.plusMinus.toFixed(digits)}${suffix}`}</SvgText>
                <Line
                  x1={x(s.value - s.plusMinus)}
                  x2={x(s.value + s.plusMinus)}
                  y1={y}
                  y2={y}
                  stroke={palette.ink}
                  strokeWidth={1.6}
                />
                {[-1, 1].map((side) => (
                  <Line
                    key={side}
                    x1={x(s.value + side * s.plusMinus)}
                    x2={x(s.value + side * s.plusMinus)}
                    y1={y - 5}
                    y2={y + 5}
                    stroke={palette.ink}
                    strokeWidth={1.6}
                  />
                ))}
                <Circle cx={x(s.value)} cy={y} r={5} fill={palette.ink} />
              </G>
            );
          })}
          <SvgText
            x={Math.min(width - 60, Math.max(60, x(adopted)))}
            y={height - 6}
            fontSize={13}
            fontFamily={FONT.textStrong}
            fill={palette.tawny}
            textAnchor="middle"
          >{`adopted ${shown(adopted)}${suffix}`}</SvgText>
        </Svg>
      ) : null}
    </View>
  );
}
