import { wrap360 } from '@tawny/core/sphere/direction';
import { useMemo } from 'react';
import { View } from 'react-native';
import Svg, { Circle, Line } from 'react-native-svg';
import type { Panorama } from '@tawny/contract';
import { HALO, PictureLabel } from '../PictureLabel';
import { Text } from '../Text';
import { useTheme } from '../theme';
import type { FourCorners } from '../corners';
import { CornersOverlay } from '../CornersOverlay';
import { useValue, type ValueStore } from '../valueStore';
import { cornersOnScreen, pointOf, type StripView } from './stripView';

/** More things than this are not numbered one by one. */
export const MOST_NUMBERED = 8;

/** Something that was marked in the panorama, in its own frame. */
export interface StripPoint {
  name: string;
  azimuthDeg: number;
  elevationDeg: number;
  /** Drawn as a ring of this true diameter; left out: as a small cross. */
  acrossDeg?: number;
  /** The other end of an edge. */
  to?: { azimuthDeg: number; elevationDeg: number };
}

/** Sun ring and marked corners over the picture. */
export function StripOverlay({
  view: store,
  width,
  height,
  yawDeg,
  panorama,
  mark,
  draft,
  first,
  moved,
  points,
}: {
  view: ValueStore<StripView>;
  width: number;
  height: number;
  yawDeg: number;
  panorama: Panorama;
  /** Azimuths and elevations in the panorama's own frame. */
  mark: FourCorners | null;
  /** While it is being laid, on the screen. */
  draft: FourCorners | null;
  /** Name of the first of them. */
  first?: string;
  moved: boolean;
  points: readonly StripPoint[];
}) {
  const view = useValue(store);
  const corners = draft ?? (mark && cornersOnScreen(view, mark, yawDeg, width, height));
  const sun = panorama.sun && pointOf(view, panorama.sun.azimuthDeg + yawDeg, panorama.sun.elevationDeg, width, height);
  const ring = Math.max(22, ((panorama.sun?.diameterDeg ?? 0) * width) / view.spanDeg);
  return (
    <View style={{ position: 'absolute', top: 0, left: 0, right: 0, bottom: 0, pointerEvents: 'none' }} aria-hidden>
      {sun ? (
        <View
          testID="sun-ring"
          style={{
            position: 'absolute',
            left: sun.x - ring / 2,
            top: sun.y - ring / 2,
            width: ring,
            height: ring,
            borderRadius: ring / 2,
            borderWidth: 2,
            borderColor: '#000',
          }}
        />
      ) : null}
      {moved
        ? panorama.moved.slice(0, MOST_NUMBERED).map((m, i) => {
            const p = pointOf(view, m.azimuthDeg + yawDeg, m.elevationDeg, width, height);
            return (
              p && (
                <View
                  key={i}
                  style={{
                    position: 'absolute',
                    left: p.x - 11,
                    top: p.y - 11,
                    width: 22,
                    height: 22,
                    backgroundColor: '#000',
                    alignItems: 'center',
                    justifyContent: 'center',
                  }}
                >
                  <Text size="small" style={{ color: '#fff' }}>
                    {String(i + 1)}
                  </Text>
                </View>
              )
            );
          })
        : null}
      {points.length > 0 ? (
        <Svg width={width} height={height} style={{ position: 'absolute', top: 0, left: 0 }}>
          {points.map((p) => (
            <Marked key={p.name} point={p} {...{ view, width, height, yawDeg }} />
          ))}
        </Svg>
      ) : null}
      {corners ? <CornersOverlay corners={corners} width={width} height={height} name={first} /> : null}
    </View>
  );
}

function Marked({
  point,
  view,
  width,
  height,
  yawDeg,
}: {
  point: StripPoint;
  view: StripView;
  width: number;
  height: number;
  yawDeg: number;
}) {
  const at = pointOf(view, point.azimuthDeg + yawDeg, point.elevationDeg, width, height);
  const end = point.to && pointOf(view, point.to.azimuthDeg + yawDeg, point.to.elevationDeg, width, height);
  const radius = point.acrossDeg === undefined ? 5 : Math.max(4, ((point.acrossDeg / 2) * width) / view.spanDeg);
  const line = end && { x1: at.x, y1: at.y, x2: end.x, y2: end.y };
  return (
    <>
      {line ? (
        <>
          <Line {...line} {...HALO} />
          <Line {...line} stroke="#fff" strokeWidth={1.6} />
        </>
      ) : (
        <>
          <Circle cx={at.x} cy={at.y} r={radius} {...HALO} fill="none" />
          <Circle cx={at.x} cy={at.y} r={radius} stroke="#fff" strokeWidth={1.6} fill="none" />
        </>
      )}
      <PictureLabel x={at.x} y={at.y - radius - 5} text={point.name} within={width} />
    </>
  );
}

/** Degrees of the strip that the marks of its scale are made for at once, beside it. */
const AHEAD_DEG = 90;

/** A bearing that the end of the strip cuts would be read as another: 150° as 50°. */
const FADING = { maskImage: 'linear-gradient(90deg, #0000 12px, #000 26px, #000 calc(100% - 26px), #0000 calc(100% - 12px))' }; // prettier-ignore

const QUARTERS: Record<number, string> = { 0: 'N', 90: 'E', 180: 'S', 270: 'W' };

/** Bearings along the strip: degrees, and names of the quarters where north is known. A turn moves the scale; its marks are made anew only now and then. */
export function Bearings({
  view: store,
  width,
  north,
}: {
  view: ValueStore<StripView>;
  width: number;
  north: boolean;
}) {
  const { palette } = useTheme();
  const view = useValue(store);
  const { spanDeg } = view;
  const middle = Math.round(view.azimuthDeg / AHEAD_DEG) * AHEAD_DEG;
  const marks = useMemo(() => {
    const step = spanDeg > 200 ? 45 : spanDeg > 80 ? 30 : spanDeg > 30 ? 10 : 5;
    const reach = spanDeg / 2 + AHEAD_DEG / 2;
    const first = Math.ceil((middle - reach) / step) * step;
    return Array.from({ length: Math.floor((middle + reach - first) / step) + 1 }, (_, i) => first + i * step).map(
      (bearing) => (
        <View
          key={bearing}
          style={{
            position: 'absolute',
            left: ((bearing - middle) / spanDeg + 0.5) * width - 20,
            width: 40,
            alignItems: 'center',
          }}
        >
          <Text size="small" style={{ color: palette.onSurround }}>
            {(north ? QUARTERS[wrap360(bearing)] : null) ?? `${wrap360(bearing)}°`}
          </Text>
        </View>
      ),
    );
  }, [middle, spanDeg, width, palette, north]);
  const moved = ((middle - view.azimuthDeg) / spanDeg) * width;
  return (
    <View style={{ height: 20, overflow: 'hidden', ...(FADING as object) }}>
      <View style={{ transform: [{ translateX: moved }] }}>{marks}</View>
    </View>
  );
}
