import { useMemo } from 'react';
import Svg, { Circle, G, Line, Path, Text as SvgText } from 'react-native-svg';
import { sunCurve } from '@tawny/core/sun/day';
import { sunPosition } from '@tawny/core/sun/ephemeris';
import { skylineElevationDeg } from '@tawny/core/sun/events';
import type { Location } from '@tawny/contract';
import { dayBounds } from '../../data/time';
import { useTheme } from '../../ui/theme';
import { FONT } from '../../ui/tokens';

interface SkyDialProps {
  location: Location;
  at: Date;
  date: string;
  /** Views of the round with the share of their frames that arrived, first view first. */
  views: readonly number[];
  /** Heading of the first view; unknown until north is measured. */
  firstHeadingDeg: number | null;
  /** A camera's look: heading and horizontal angle. */
  wedge?: { headingDeg: number; fovDeg: number; label: string };
  size?: number;
}

/** Plan of the sky: north up, east right, zenith in the middle, horizon on the rim; sun path, sun, and the round's views as arcs that fill. */
export function SkyDial({ location, at, date, views, firstHeadingDeg, wedge, size = 236 }: SkyDialProps) {
  const { palette } = useTheme();
  const path = useMemo(() => {
    const { start, end } = dayBounds(date, location.zone);
    return sunCurve(location, start, end, 15).filter((p) => p.elevationDeg > 0);
  }, [date, location]);
  const sun = sunPosition(location, at);
  const c = size / 2;
  const rim = c - 34;
  const place = (azimuthDeg: number, radius: number) => ({
    x: c + radius * Math.sin((azimuthDeg * Math.PI) / 180),
    y: c - radius * Math.cos((azimuthDeg * Math.PI) / 180),
  });
  const onSky = (azimuthDeg: number, elevationDeg: number) => place(azimuthDeg, (rim * (90 - elevationDeg)) / 90);
  const arc = (from: number, to: number, radius: number) => {
    const a = place(from, radius);
    const b = place(to, radius);
    return `M${a.x} ${a.y} A${radius} ${radius} 0 ${to - from > 180 ? 1 : 0} 1 ${b.x} ${b.y}`;
  };
  const step = views.length > 0 ? 360 / views.length : 0;
  const skyline =
    location.skyline.length > 0
      ? Array.from({ length: 73 }, (_, i) => onSky(i * 5, Math.max(0, skylineElevationDeg(location.skyline, i * 5))))
      : [];
  const look = wedge && {
    a: place(wedge.headingDeg - wedge.fovDeg / 2, rim),
    b: place(wedge.headingDeg + wedge.fovDeg / 2, rim),
    large: wedge.fovDeg > 180 ? 1 : 0,
  };
  const ticks = Array.from({ length: 36 }, (_, i) => i * 10)
    .map((b) => [place(b, rim), place(b, rim - (b % 90 === 0 ? 9 : b % 30 === 0 ? 6 : 3))])
    .map(([a, e]) => `M${a.x} ${a.y} L${e.x} ${e.y}`)
    .join(' ');
  const sunAt = onSky(sun.azimuthDeg, Math.max(0, sun.elevationDeg));
  return (
    <Svg
      width={size}
      height={size}
      role="img"
      aria-label={`Sky dial: sun at ${sun.azimuthDeg.toFixed(0)} degrees, ${sun.elevationDeg.toFixed(0)} high${views.length > 0 ? `, ${views.filter((v) => v === 1).length} of ${views.length} views complete` : ''}${wedge ? `, ${wedge.label} looks to ${wedge.headingDeg.toFixed(0)} degrees` : ''}`}
    >
      <Circle cx={c} cy={c} r={rim} fill="none" stroke={palette.quietInk} strokeWidth={1.2} />
      {skyline.length > 0 ? (
        <Path
          d={`${skyline.map((p, i) => `${i ? 'L' : 'M'}${p.x} ${p.y}`).join(' ')} Z M${c - rim} ${c} A${rim} ${rim} 0 1 0 ${c + rim} ${c} A${rim} ${rim} 0 1 0 ${c - rim} ${c} Z`}
          fill={palette.hairline}
          fillRule="evenodd"
        />
      ) : null}
      {look ? (
        <Path
          d={`M${c} ${c} L${look.a.x} ${look.a.y} A${rim} ${rim} 0 ${look.large} 1 ${look.b.x} ${look.b.y} Z`}
          fill="none"
          stroke={palette.ink}
          strokeWidth={1.4}
        />
      ) : null}
      {[30, 60].map((el) => (
        <Circle
          key={el}
          cx={c}
          cy={c}
          r={(rim * (90 - el)) / 90}
          fill="none"
          stroke={palette.hairline}
          strokeWidth={1}
        />
      ))}
      <Path d={ticks} stroke={palette.quietInk} strokeWidth={1} />
      {[
        ['N', 0],
        ['E', 90],
        ['S', 180],
        ['W', 270],
      ].map(([name, b]) => {
        const p = place(b as number, rim - 19);
        return (
          <SvgText
            key={name}
            x={p.x}
            y={p.y + 5}
            fontSize={14}
            fontFamily={FONT.textStrong}
            fill={palette.ink}
            textAnchor="middle"
          >
            {name}
          </SvgText>
        );
      })}
      {path.length > 1 ? (
        <Path
          d={path
            .map((p, i) => {
              const q = onSky(p.azimuthDeg, p.elevationDeg);
              return `${i ? 'L' : 'M'}${q.x} ${q.y}`;
            })
            .join(' ')}
          stroke={palette.quietInk}
          strokeWidth={1.4}
          strokeDasharray="1 4"
          strokeLinecap="round"
          fill="none"
        />
      ) : null}
      {views.map((share, i) => {
        const middle = (firstHeadingDeg ?? 0) + i * step;
        const p = place(middle, rim + 24);
        return (
          <G key={i}>
            <Path
              d={arc(middle - step / 2 + 2, middle + step / 2 - 2, rim + 10)}
              stroke={palette.hairline}
              strokeWidth={9}
              fill="none"
            />
            {share > 0 ? (
              <Path
                d={arc(middle - step / 2 + 2, middle - step / 2 + 2 + (step - 4) * share, rim + 10)}
                stroke={share === 1 ? palette.tide : palette.ochre}
                strokeWidth={9}
                fill="none"
              />
            ) : null}
            <SvgText
              x={p.x}
              y={p.y + 4}
              fontSize={12}
              fontFamily={FONT.number}
              fill={palette.quietInk}
              textAnchor="middle"
            >
              {i + 1}
            </SvgText>
          </G>
        );
      })}
      {sun.elevationDeg > 0 ? (
        <G>
          <Line x1={c} y1={c} x2={sunAt.x} y2={sunAt.y} stroke={palette.tawny} strokeWidth={1.2} />
          <Circle cx={sunAt.x} cy={sunAt.y} r={7} fill={palette.tawny} />
        </G>
      ) : null}
    </Svg>
  );
}
