import { wrap360 } from '@tawny/core';
import { View } from 'react-native';
import type { Panorama } from '@tawny/contract';
import { Text } from '../Text';
import { useTheme } from '../theme';
import { pointOf, type StripRect, type StripView } from './stripView';

/** More things than this are not numbered one by one. */
export const MOST_NUMBERED = 8;

/** Sun ring and marked rectangle over the picture. */
export function StripOverlay({
  view,
  width,
  height,
  yawDeg,
  panorama,
  rect,
  moved,
}: {
  view: StripView;
  width: number;
  height: number;
  yawDeg: number;
  panorama: Panorama;
  rect: StripRect | null;
  moved: boolean;
}) {
  const sun = panorama.sun && pointOf(view, panorama.sun.azimuthDeg + yawDeg, panorama.sun.elevationDeg, width, height);
  const ring = Math.max(22, ((panorama.sun?.diameterDeg ?? 0) * width) / view.spanDeg);
  const a = rect && !view.flat && pointOf(view, rect.left * 360 + yawDeg, 90 - rect.top * 180, width, height);
  const across = rect ? ((rect.right - rect.left + 1) % 1) * 360 * (width / view.spanDeg) : 0;
  const down = rect ? (rect.bottom - rect.top) * 180 * (width / view.spanDeg) : 0;
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
      {a ? (
        <View
          testID="card-mark"
          style={
            {
              position: 'absolute',
              left: a.x,
              top: a.y,
              width: across,
              height: down,
              borderWidth: 2,
              borderColor: '#000',
              outlineWidth: 1,
              outlineColor: '#fff',
              outlineStyle: 'solid',
            } as object
          }
        />
      ) : null}
    </View>
  );
}

/** Bearings along the strip: names of the quarters and degrees. */
export function Bearings({ view, width }: { view: StripView; width: number }) {
  const { palette } = useTheme();
  const step = view.spanDeg > 200 ? 45 : view.spanDeg > 80 ? 30 : view.spanDeg > 30 ? 10 : 5;
  const first = Math.ceil((view.azimuthDeg - view.spanDeg / 2) / step) * step;
  const count = Math.floor(view.spanDeg / step) + 1;
  const names: Record<number, string> = { 0: 'N', 90: 'E', 180: 'S', 270: 'W' };
  return (
    <View style={{ height: 20 }}>
      {Array.from({ length: count }, (_, i) => first + i * step).map((bearing) => {
        const { x } = pointOf(view, bearing, 0, width, 1);
        if (x < 14 || x > width - 14) return null;
        const shown = wrap360(bearing);
        return (
          <View key={bearing} style={{ position: 'absolute', left: x - 20, width: 40, alignItems: 'center' }}>
            <Text size="small" style={{ color: palette.onSurround }}>
              {names[shown] ?? `${shown}°`}
            </Text>
          </View>
        );
      })}
    </View>
  );
}
