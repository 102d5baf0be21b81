import { useState } from 'react';
import { View } from 'react-native';
import Svg, { Circle, Ellipse, G, Line, Path, Polygon, Rect, Text as SvgText } from 'react-native-svg';
import type { PlanMark, PlanMeasure } from '@tawny/contract';
import { useTheme } from '../../ui/theme';
import { FONT, RADIUS } from '../../ui/tokens';

export interface PlanItem {
  id: string;
  name: string;
  kind: PlanMark['kind'];
  eastM: number;
  northM: number;
  ellipse: { majorM: number; minorM: number; bearingDeg: number } | null;
  wedge?: { headingDeg: number; fovDeg: number };
}

interface PlanDrawingProps {
  items: readonly PlanItem[];
  measures: readonly PlanMeasure[];
  sun: { azimuthDeg: number; elevationDeg: number } | null;
}

const PAD = 46;

/** North up, one scale both ways: marks with their 95 % ellipses, camera wedges, measured lines, the sun's direction, a scale bar. */
export function PlanDrawing({ items, measures, sun }: PlanDrawingProps) {
  const { palette } = useTheme();
  const [width, setWidth] = useState(0);
  const height = Math.max(320, Math.min(520, width * 0.95));
  const east = items.map((i) => i.eastM);
  const north = items.map((i) => i.northM);
  const [e0, e1, n0, n1] = [
    Math.min(0, ...east) - 1,
    Math.max(0, ...east) + 1,
    Math.min(0, ...north) - 1,
    Math.max(0, ...north) + 1,
  ];
  const scale = Math.min((width - 2 * PAD) / (e1 - e0), (height - 2 * PAD) / (n1 - n0));
  const x = (e: number) => width / 2 + (e - (e0 + e1) / 2) * scale;
  const y = (n: number) => height / 2 - (n - (n0 + n1) / 2) * scale;
  const place = (i: PlanItem) => ({ cx: x(i.eastM), cy: y(i.northM) });
  const bar = [0.5, 1, 2, 5, 10, 20, 50].find((m) => m * scale > 56) ?? 100;
  const direction = (bearing: number, from: { cx: number; cy: number }, length: number) => ({
    x: from.cx + length * Math.sin((bearing * Math.PI) / 180),
    y: from.cy - length * Math.cos((bearing * Math.PI) / 180),
  });
  const centre = { cx: width / 2, cy: height / 2 };
  return (
    <View
      onLayout={(e) => setWidth(e.nativeEvent.layout.width)}
      role="img"
      aria-label={`Plan with ${items.map((i) => `${i.name} at ${i.eastM.toFixed(1)} east ${i.northM.toFixed(1)} north`).join(', ')}`}
      style={{
        backgroundColor: palette.raised,
        borderWidth: 1,
        borderColor: palette.hairline,
        borderRadius: RADIUS,
        minHeight: 320,
      }}
    >
      {width > 0 ? (
        <Svg width={width} height={height} aria-hidden>
          {measures.map((m) => {
            const [a, b] = [items.find((i) => i.id === m.fromMarkId), items.find((i) => i.id === m.toMarkId)];
            if (!a || !b) return null;
            const [p, q] = [place(a), place(b)];
            return (
              <G key={m.id}>
                <Line
                  x1={p.cx}
                  y1={p.cy}
                  x2={q.cx}
                  y2={q.cy}
                  stroke={palette.hairline}
                  strokeWidth={1.4}
                  strokeDasharray={m.kind === 'bearing' ? '2 5' : undefined}
                />
                {m.kind === 'distance' ? (
                  <SvgText
                    x={(p.cx + q.cx) / 2 + 4}
                    y={(p.cy + q.cy) / 2 - 4}
                    fontSize={12}
                    fontFamily={FONT.number}
                    fill={palette.quietInk}
                  >{`${m.value} m`}</SvgText>
                ) : null}
              </G>
            );
          })}
          {items
            .filter((i) => i.wedge)
            .map((i) => {
              const [p, w] = [place(i), i.wedge!];
              const reach = Math.min(width, height) * 0.42;
              const [a, b] = [
                direction(w.headingDeg - w.fovDeg / 2, p, reach),
                direction(w.headingDeg + w.fovDeg / 2, p, reach),
              ];
              return (
                <Path
                  key={i.id}
                  d={`M${a.x} ${a.y} L${p.cx} ${p.cy} L${b.x} ${b.y}`}
                  fill="none"
                  stroke={palette.ink}
                  strokeWidth={1.3}
                />
              );
            })}
          {sun
            ? (() => {
                const far = direction(sun.azimuthDeg, centre, Math.min(width, height) / 2 - 18);
                const near = direction(sun.azimuthDeg, centre, Math.min(width, height) / 2 - 64);
                return (
                  <G>
                    <Line x1={far.x} y1={far.y} x2={near.x} y2={near.y} stroke={palette.ochre} strokeWidth={2} />
                    <Circle cx={far.x} cy={far.y} r={7} fill={palette.ochre} />
                    <SvgText
                      x={far.x}
                      y={far.y - 11}
                      fontSize={12}
                      fontFamily={FONT.number}
                      fill={palette.quietInk}
                      textAnchor="middle"
                    >{`sun ${sun.azimuthDeg.toFixed(0)}°`}</SvgText>
                  </G>
                );
              })()
            : null}
          {items.map((i, k) => {
            const p = place(i);
            // Names of things at one place stand below one another.
            const stacked = items
              .slice(0, k)
              .filter((o) => Math.hypot(o.eastM - i.eastM, o.northM - i.northM) * scale < 22).length;
            return (
              <G key={i.id}>
                {i.ellipse && i.ellipse.majorM > 0 ? (
                  <Ellipse
                    cx={p.cx}
                    cy={p.cy}
                    rx={Math.max(5, i.ellipse.majorM * scale)}
                    ry={Math.max(5, i.ellipse.minorM * scale)}
                    fill="none"
                    stroke={palette.tide}
                    strokeWidth={1.2}
                    transform={`rotate(${i.ellipse.bearingDeg - 90} ${p.cx} ${p.cy})`}
                  />
                ) : null}
                <Sign kind={i.kind} x={p.cx} y={p.cy} colour={palette.ink} />
                <SvgText
                  x={Math.min(p.cx + 10, width - 8 - i.name.length * 6.6)}
                  y={p.cy + 18 + stacked * 15}
                  fontSize={13}
                  fontFamily={FONT.text}
                  fill={palette.ink}
                >
                  {i.name}
                </SvgText>
              </G>
            );
          })}
          <G>
            <Polygon
              points={`${width - 26},${14} ${width - 32},${34} ${width - 26},${30} ${width - 20},${34}`}
              fill={palette.ink}
            />
            <SvgText
              x={width - 26}
              y={50}
              fontSize={14}
              fontFamily={FONT.textStrong}
              fill={palette.ink}
              textAnchor="middle"
            >
              N
            </SvgText>
            <Line
              x1={16}
              x2={16 + bar * scale}
              y1={height - 16}
              y2={height - 16}
              stroke={palette.ink}
              strokeWidth={2}
            />
            <SvgText
              x={16}
              y={height - 22}
              fontSize={13}
              fontFamily={FONT.number}
              fill={palette.ink}
            >{`${bar} m`}</SvgText>
          </G>
        </Svg>
      ) : null}
    </View>
  );
}

/** One sign a kind: cross, ring with dot, box with beak, rays, diamond. */
function Sign({ kind, x, y, colour }: { kind: PlanMark['kind']; x: number; y: number; colour: string }) {
  const line = { stroke: colour, strokeWidth: 2, fill: 'none' } as const;
  if (kind === 'station')
    return (
      <G>
        <Circle cx={x} cy={y} r={6} {...line} />
        <Circle cx={x} cy={y} r={1.8} fill={colour} />
      </G>
    );
  if (kind === 'camera') return <Rect x={x - 5} y={y - 5} width={10} height={10} fill={colour} />;
  if (kind === 'lamp')
    return (
      <Path
        d={`M${x - 7} ${y} H${x + 7} M${x} ${y - 7} V${y + 7} M${x - 5} ${y - 5} L${x + 5} ${y + 5} M${x - 5} ${y + 5} L${x + 5} ${y - 5}`}
        {...line}
      />
    );
  if (kind === 'cg') return <Polygon points={`${x},${y - 7} ${x + 7},${y} ${x},${y + 7} ${x - 7},${y}`} {...line} />;
  return <Path d={`M${x - 6} ${y} H${x + 6} M${x} ${y - 6} V${y + 6}`} {...line} />;
}
