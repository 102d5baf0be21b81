import { useMemo, useRef, useState, type PointerEvent } from 'react';
import { View } from 'react-native';
import type { Plate } from '@tawny/contract';
import { shortValue } from '@tawny/core/text/lightValue';
import { beginDrag, draggedTo, type CornerDrag, type FourCorners, type Point } from '../../ui/corners';
import { CornersOverlay } from '../../ui/CornersOverlay';
import { Magnifier, paintLight } from '../../ui/Magnifier';
import { valueAt } from '../../ui/panorama/floatPicture';
import { usePlateLight } from '../../ui/panorama/plateLight';
import { holdPointer } from '../../ui/holdPointer';
import { useTheme } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { PlateImage } from './PlateImage';

/** Shares of the picture's sides to pixels of the screen, and back. */
const scaled = (corners: FourCorners, x: number, y: number) =>
  corners.map(([u, v]) => [u * x, v * y]) as unknown as FourCorners;

/** A plate frame on neutral grey: a drag lays a box, a drag at a corner moves it, enlarged and with its value. Shares of width and height. */
export function PlateMarker({
  plate,
  mark,
  onMark,
  what,
  first,
}: {
  plate: Plate;
  mark: FourCorners | null;
  onMark: (corners: FourCorners) => void;
  /** What is marked. */
  what: string;
  /** Name of the first corner, where it matters which it is. */
  first?: string;
}) {
  const { palette } = useTheme();
  const light = usePlateLight(plate.id, plate.version).data;
  const [width, setWidth] = useState(0);
  const height = (width * plate.heightPx) / plate.widthPx;
  const drag = useRef<CornerDrag | null>(null);
  const [now, setNow] = useState<{ at: Point; draft: FourCorners | null } | null>(null);
  const at = (e: PointerEvent): Point => {
    const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
    return [Math.min(width, Math.max(0, e.clientX - box.left)), Math.min(height, Math.max(0, e.clientY - box.top))];
  };
  const shown = now?.draft ?? (mark && scaled(mark, width, height));
  const lens = useMemo(() => {
    if (!now || !light || width === 0) return null;
    const { picture, typical } = light;
    const lightAt = (dx: number, dy: number) => {
      const [x, y] = [
        Math.floor(((now.at[0] + dx) / width) * picture.width),
        Math.floor(((now.at[1] + dy) / height) * picture.height),
      ];
      return x < 0 || y < 0 || x >= picture.width || y >= picture.height ? null : valueAt(picture, x, y);
    };
    const value = lightAt(0, 0);
    return { paint: paintLight(lightAt, 0.18 / typical), value: value && shortValue(value, 'rec709', true) };
  }, [now, light, width, height]);
  return (
    <View style={{ backgroundColor: palette.surround, padding: SPACE(2) }}>
      <View
        testID="plate-marker"
        role="img"
        aria-label={`Plate ${plate.name}: drag a box over the ${what}, then its corners`}
        onLayout={(e) => setWidth(e.nativeEvent.layout.width)}
        style={{ aspectRatio: plate.widthPx / plate.heightPx, touchAction: 'none', cursor: 'crosshair' } as object}
        {...({
          onPointerDown: (e: PointerEvent) => {
            holdPointer(e);
            drag.current = beginDrag(mark && scaled(mark, width, height), at(e));
            setNow({ at: at(e), draft: null });
          },
          onPointerMove: (e: PointerEvent) => {
            if (drag.current) setNow({ at: at(e), draft: draggedTo(drag.current, at(e)) });
          },
          onPointerUp: (e: PointerEvent) => {
            const laid = drag.current && draggedTo(drag.current, at(e));
            if (laid) onMark(scaled(laid, 1 / width, 1 / height));
            drag.current = null;
            setNow(null);
          },
          onPointerCancel: () => {
            drag.current = null;
            setNow(null);
          },
        } as object)}
      >
        <PlateImage id={plate.id} />
        {shown && width > 0 ? <CornersOverlay corners={shown} width={width} height={height} name={first} /> : null}
        {now && lens ? <Magnifier paint={lens.paint} left={now.at[0] < width / 2} value={lens.value} /> : null}
      </View>
    </View>
  );
}
