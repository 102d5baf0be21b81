import Svg, { Circle, Line } from 'react-native-svg';
import type { Attitude } from '@tawny/core';
import { useTheme } from '../../ui/theme';
import type { Aim } from './aims';

/** The sphere in plan, the first view up: zenith in the middle, horizon half way, nadir on the rim. Aims are rings, done ones full discs, the one to take has a cross; the look is a line from the middle. */
export function AimDial({
  aims,
  done,
  next,
  look,
  size = 220,
}: {
  aims: readonly Aim[];
  done: ReadonlySet<number>;
  next: number;
  look: Attitude | null;
  size?: number;
}) {
  const { palette } = useTheme();
  const c = size / 2;
  const rim = c - 14;
  const up = aims[0].headingDeg;
  const at = (headingDeg: number, tiltDeg: number) => {
    const a = ((headingDeg - up) * Math.PI) / 180;
    const r = (rim * (90 - tiltDeg)) / 180;
    return { x: c + r * Math.sin(a), y: c - r * Math.cos(a) };
  };
  const eye = look && at(look.headingDeg, look.tiltDeg);
  return (
    <Svg width={size} height={size} role="img" aria-label={`Aims: ${done.size} of ${aims.length} photographed`}>
      <Circle cx={c} cy={c} r={rim} fill="none" stroke={palette.hairline} strokeWidth={1} />
      <Circle cx={c} cy={c} r={rim / 2} fill="none" stroke={palette.quietInk} strokeWidth={1.2} />
      {aims.map((aim, i) => {
        const p = at(aim.headingDeg, aim.tiltDeg);
        return (
          <Circle
            key={i}
            cx={p.x}
            cy={p.y}
            r={i === next ? 10 : 7}
            fill={done.has(i) ? palette.tide : 'none'}
            stroke={i === next ? palette.ink : done.has(i) ? palette.tide : palette.quietInk}
            strokeWidth={i === next ? 2.4 : 1.4}
          />
        );
      })}
      {next >= 0
        ? [
            [1, 0],
            [0, 1],
          ].map(([dx, dy]) => {
            const p = at(aims[next].headingDeg, aims[next].tiltDeg);
            return (
              <Line
                key={dx}
                x1={p.x - 14 * dx}
                y1={p.y - 14 * dy}
                x2={p.x + 14 * dx}
                y2={p.y + 14 * dy}
                stroke={palette.ink}
                strokeWidth={1.2}
              />
            );
          })
        : null}
      {eye ? <Line x1={c} y1={c} x2={eye.x} y2={eye.y} stroke={palette.tawny} strokeWidth={2} /> : null}
      {eye ? <Circle cx={eye.x} cy={eye.y} r={5} fill={palette.tawny} /> : null}
    </Svg>
  );
}
