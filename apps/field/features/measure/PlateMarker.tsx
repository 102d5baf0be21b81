import { useRef, useState, type PointerEvent } from 'react';
import { View } from 'react-native';
import type { Plate } from '@tawny/contract';
import type { StripRect } from '../../ui/panorama/stripView';
import { useTheme } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { PlateImage } from './PlateImage';

/** A plate frame on neutral grey; a drag marks the card. Shares of width and height. */
export function PlateMarker({
  plate,
  mark,
  onMark,
}: {
  plate: Plate;
  mark: StripRect | null;
  onMark: (rect: StripRect) => void;
}) {
  const { palette } = useTheme();
  const from = useRef<{ x: number; y: number } | null>(null);
  const [draft, setDraft] = useState<StripRect | null>(null);
  const at = (e: PointerEvent) => {
    const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
    return {
      x: Math.min(1, Math.max(0, (e.clientX - box.left) / box.width)),
      y: Math.min(1, Math.max(0, (e.clientY - box.top) / box.height)),
    };
  };
  const rect = (a: { x: number; y: number }, b: { x: number; y: number }): StripRect => ({
    left: Math.min(a.x, b.x),
    right: Math.max(a.x, b.x),
    top: Math.min(a.y, b.y),
    bottom: Math.max(a.y, b.y),
  });
  const shown = draft ?? mark;
  const percent = (v: number) => `${100 * v}%` as const;
  return (
    <View style={{ backgroundColor: palette.surround, padding: SPACE(2) }}>
      <View
        testID="plate-marker"
        role="img"
        aria-label={`Plate ${plate.name}: drag a rectangle inside the grey card`}
        style={{ aspectRatio: plate.widthPx / plate.heightPx, touchAction: 'none', cursor: 'crosshair' } as object}
        {...({
          onPointerDown: (e: PointerEvent) => {
            (e.currentTarget as HTMLElement).setPointerCapture(e.pointerId);
            from.current = at(e);
          },
          onPointerMove: (e: PointerEvent) => from.current && setDraft(rect(from.current, at(e))),
          onPointerUp: (e: PointerEvent) => {
            if (from.current) {
              const r = rect(from.current, at(e));
              if (r.right - r.left > 0.004 && r.bottom - r.top > 0.004) onMark(r);
            }
            from.current = null;
            setDraft(null);
          },
        } as object)}
      >
        <PlateImage id={plate.id} />
        {shown ? (
          <View
            aria-hidden
            style={
              {
                position: 'absolute',
                pointerEvents: 'none',
                left: percent(shown.left),
                top: percent(shown.top),
                width: percent(shown.right - shown.left),
                height: percent(shown.bottom - shown.top),
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
    </View>
  );
}
