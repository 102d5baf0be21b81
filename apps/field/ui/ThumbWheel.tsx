import { useRef, useState, type PointerEvent } from 'react';
import { View } from 'react-native';
import Svg, { Line } from 'react-native-svg';
import { holdPointer } from './holdPointer';
import { useTheme } from './theme';
import { RADIUS, TARGET } from './tokens';

/** Distance of the wheel's ribs, px. */
const RIB = 12;

/** A knurled wheel under the thumb: dragging along it hands over how far, in pixels. */
export function ThumbWheel({ label, onTurn }: { label: string; onTurn: (px: number) => void }) {
  const { palette } = useTheme();
  const last = useRef<number | null>(null);
  const [travel, setTravel] = useState(0);
  const [width, setWidth] = useState(0);
  const ribs = Math.ceil(width / RIB) + 1;
  const offset = ((travel % RIB) + RIB) % RIB;
  return (
    <View
      role="slider"
      aria-label={label}
      testID="thumb-wheel"
      onLayout={(e) => setWidth(e.nativeEvent.layout.width)}
      style={
        {
          height: TARGET + 8,
          borderWidth: 1,
          borderColor: palette.hairline,
          borderRadius: RADIUS,
          overflow: 'hidden',
          touchAction: 'none',
          cursor: 'ew-resize',
        } as object
      }
      {...({
        onPointerDown: (e: PointerEvent) => {
          holdPointer(e);
          last.current = e.clientX;
        },
        onPointerMove: (e: PointerEvent) => {
          if (last.current === null) return;
          const px = e.clientX - last.current;
          last.current = e.clientX;
          setTravel((t) => t + px);
          onTurn(px);
        },
        onPointerUp: () => (last.current = null),
        onPointerCancel: () => (last.current = null),
      } as object)}
    >
      {width > 0 ? (
        <Svg width={width} height={TARGET + 8} aria-hidden>
          {Array.from({ length: ribs }, (_, k) => {
            const x = k * RIB + offset - RIB;
            return <Line key={k} x1={x} x2={x} y1={10} y2={TARGET - 2} stroke={palette.quietInk} strokeWidth={1.5} />;
          })}
          <Line x1={width / 2} x2={width / 2} y1={2} y2={TARGET + 6} stroke={palette.tawny} strokeWidth={2} />
        </Svg>
      ) : null}
    </View>
  );
}
