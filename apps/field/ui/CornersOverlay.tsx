import Svg, { Circle, Polygon } from 'react-native-svg';
import type { FourCorners } from './corners';
import { HALO, PictureLabel } from './PictureLabel';

/** A marked card or chart over a picture: its outline, a ring at each corner, a name at the first. On the screen. */
export function CornersOverlay({
  corners,
  width,
  height,
  name,
}: {
  corners: FourCorners;
  width: number;
  height: number;
  name?: string;
}) {
  const points = corners.map((c) => c.join(',')).join(' ');
  return (
    <Svg
      width={width}
      height={height}
      style={{ position: 'absolute', top: 0, left: 0, pointerEvents: 'none' } as object}
      testID="corners"
    >
      <Polygon points={points} {...HALO} fill="none" />
      <Polygon points={points} stroke="#fff" strokeWidth={1.4} fill="none" />
      {corners.map(([x, y], k) => (
        <Circle key={`halo ${k}`} cx={x} cy={y} r={7} {...HALO} fill="none" />
      ))}
      {corners.map(([x, y], k) => (
        <Circle key={k} cx={x} cy={y} r={7} stroke="#fff" strokeWidth={1.6} fill={k === 0 && name ? '#fff' : 'none'} />
      ))}
      {name ? (
        // Above the corner, or below it where there is no room.
        <PictureLabel
          x={corners[0][0]}
          y={corners[0][1] + (corners[0][1] < 28 ? 24 : -12)}
          text={name}
          within={width}
        />
      ) : null}
    </Svg>
  );
}
