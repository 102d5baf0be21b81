import { useEffect, useRef } from 'react';
import { View } from 'react-native';
import { useTheme } from '../../ui/theme';
import { RADIUS } from '../../ui/tokens';

const SIZE = 132;
/** Times larger than the picture is shown. */
const TIMES = 5;

/** What lies under the finger, enlarged, in the upper corner that the finger is away from. */
export function Magnifier({
  bitmap,
  at,
  width,
}: {
  bitmap: ImageBitmap;
  /** Shares of width and height. */
  at: { x: number; y: number };
  /** Of the shown picture, px. */
  width: number;
}) {
  const { palette } = useTheme();
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    const part = ((SIZE / TIMES) * bitmap.width) / width;
    context.fillStyle = palette.surround;
    context.fillRect(0, 0, SIZE, SIZE);
    context.drawImage(
      bitmap,
      at.x * bitmap.width - part / 2,
      at.y * bitmap.height - part / 2,
      part,
      part,
      0,
      0,
      SIZE,
      SIZE,
    );
    for (const [colour, size] of [
      ['#000', 3],
      ['#fff', 1],
    ] as const) {
      // prettier-ignore
      context.strokeStyle = colour;
      context.lineWidth = size;
      context.beginPath();
      context.moveTo(SIZE / 2, SIZE / 2 - 14);
      context.lineTo(SIZE / 2, SIZE / 2 + 14);
      context.moveTo(SIZE / 2 - 14, SIZE / 2);
      context.lineTo(SIZE / 2 + 14, SIZE / 2);
      context.stroke();
    }
  }, [bitmap, at.x, at.y, width, palette.surround]);
  return (
    <View
      testID="magnifier"
      aria-hidden
      style={{
        position: 'absolute',
        pointerEvents: 'none',
        top: 4,
        [at.x < 0.5 ? 'right' : 'left']: 4,
        width: SIZE + 2,
        height: SIZE + 2,
        borderWidth: 1,
        borderColor: '#fff',
        borderRadius: RADIUS,
        overflow: 'hidden',
      }}
    >
      <canvas ref={canvas} width={SIZE} height={SIZE} style={{ width: SIZE, height: SIZE, display: 'block' }} />
    </View>
  );
}
