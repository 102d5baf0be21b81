import { useRef, useState, type PointerEvent, type ReactNode } from 'react';
import { View } from 'react-native';
import type { Plate } from '@tawny/contract';
import type { Stroke } from '@tawny/core';
import { snapStroke } from '@tawny/core/camera/snapStroke';
import { useProductionCode } from '../../data/queries';
import { Magnifier, paintBitmap } from '../../ui/Magnifier';
import { Text } from '../../ui/Text';
import { holdPointer } from '../../ui/holdPointer';
import { useTheme } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { PlateImage } from '../measure/PlateImage';
import { usePlatePicture } from './platePicture';
import { StrokesOverlay } from './StrokesOverlay';
import type { Drawn } from './plateStrokes';

/** Shorter drags are taps, px on the screen. */
const TAP_PX = 6;
/** How far beside a drawn stroke its edge is looked for, px on the screen. */
const SNAP_PX = 10;

/** A plate that is drawn on: a drag is a stroke, laid on the edge beside it; a tap chooses one. */
export function StrokesPicture({
  plate,
  squeeze,
  drawn,
  outliers,
  chosen,
  snapping,
  onStroke,
  onTap,
  children,
}: {
  plate: Plate;
  /** How much wider than its pixels it is shown. */
  squeeze: number;
  drawn: Drawn;
  outliers: ReadonlySet<string>;
  chosen: { family: number; stroke: number } | null;
  snapping: boolean;
  /** Pixels of the plate. */
  onStroke: (stroke: Stroke, snapped: boolean) => void;
  onTap: (xPx: number, yPx: number, reachPx: number) => void;
  /** Drawn over the plate, given its size on the screen. */
  children?: (width: number, height: number) => ReactNode;
}) {
  const code = useProductionCode();
  const { palette } = useTheme();
  const { picture, error } = usePlatePicture(code, plate.id);
  const [width, setWidth] = useState(0);
  const [draft, setDraft] = useState<Stroke | null>(null);
  const from = useRef<{ x: number; y: number } | null>(null);
  const height = Math.round((width * plate.heightPx) / (plate.widthPx * squeeze));
  const [perX, perY] = [plate.widthPx / Math.max(1, width), plate.heightPx / Math.max(1, height)];
  const at = (e: PointerEvent) => {
    const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
    return {
      x: Math.min(plate.widthPx, Math.max(0, ((e.clientX - box.left) / box.width) * plate.widthPx)),
      y: Math.min(plate.heightPx, Math.max(0, ((e.clientY - box.top) / box.height) * plate.heightPx)),
    };
  };
  const finish = (stroke: Stroke) => {
    const [x1, y1, x2, y2] = stroke;
    if (Math.hypot((x2 - x1) / perX, (y2 - y1) / perY) < TAP_PX) return onTap(x1, y1, 22 * perX);
    const laid = snapping && picture ? snappedOn(picture.brightness, plate, stroke, perX) : null;
    onStroke(laid ?? stroke, laid !== null);
  };
  return (
    <View style={{ backgroundColor: palette.surround, padding: SPACE(2) }}>
      <View
        testID="strokes-picture"
        role="img"
        aria-label={`Plate ${plate.name}: drag along an edge`}
        onLayout={(e) => setWidth(Math.round(e.nativeEvent.layout.width))}
        style={{ height, overflow: 'hidden', touchAction: 'none', cursor: 'crosshair' } as object}
        {...({
          onPointerDown: (e: PointerEvent) => {
            holdPointer(e);
            const p = at(e);
            from.current = p;
            setDraft([p.x, p.y, p.x, p.y]);
          },
          onPointerMove: (e: PointerEvent) => {
            if (from.current) setDraft([from.current.x, from.current.y, at(e).x, at(e).y]);
          },
          onPointerUp: (e: PointerEvent) => {
            if (from.current) finish([from.current.x, from.current.y, at(e).x, at(e).y]);
            from.current = null;
            setDraft(null);
          },
          onPointerCancel: () => {
            from.current = null;
            setDraft(null);
          },
        } as object)}
      >
        <PlateImage id={plate.id} />
        {width > 0 ? children?.(width, height) : null}
        {width > 0 ? (
          <StrokesOverlay
            plate={plate}
            width={width}
            height={height}
            drawn={drawn}
            outliers={outliers}
            chosen={chosen}
            draft={draft}
          />
        ) : null}
        {draft && picture ? (
          <Magnifier
            paint={paintBitmap(picture.bitmap, { x: draft[2] / plate.widthPx, y: draft[3] / plate.heightPx }, width)}
            left={draft[2] < plate.widthPx / 2}
          />
        ) : null}
        {error ? <Text style={{ color: palette.onSurround }}>{error.message}</Text> : null}
      </View>
    </View>
  );
}

/** A stroke laid on its edge in the display picture, back in pixels of the plate; null where none stands out. */
function snappedOn(
  brightness: Parameters<typeof snapStroke>[0],
  plate: Plate,
  [x1, y1, x2, y2]: Stroke,
  platePerScreen: number,
): Stroke | null {
  const [sx, sy] = [brightness.widthPx / plate.widthPx, brightness.heightPx / plate.heightPx];
  const reach = Math.min(24, Math.max(3, SNAP_PX * platePerScreen * sx));
  const laid = snapStroke(brightness, [x1 * sx, y1 * sy, x2 * sx, y2 * sy], reach);
  return laid && [laid[0] / sx, laid[1] / sy, laid[2] / sx, laid[3] / sy];
}
