import { useEffect, useRef } from 'react';
import { View } from 'react-native';
import { Text } from './Text';
import { useTheme } from './theme';
import { RADIUS } from './tokens';

export const MAGNIFIER_PX = 132;
/** Times larger than the picture is shown. */
export const MAGNIFIED = 5;

/** What lies under the finger, enlarged, in the upper corner that the finger is away from, and its value. */
export function Magnifier({
  paint,
  left,
  value,
}: {
  /** Fills a square of `MAGNIFIER_PX` with what lies about the finger. */
  paint: (context: CanvasRenderingContext2D) => void;
  /** The finger is in the left half. */
  left: boolean;
  value?: string | null;
}) {
  const { palette } = useTheme();
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    context.fillStyle = palette.surround;
    context.fillRect(0, 0, MAGNIFIER_PX, MAGNIFIER_PX);
    paint(context);
    const middle = MAGNIFIER_PX / 2;
    for (const [colour, size] of [
      ['#000', 3],
      ['#fff', 1],
    ] as const) {
      context.strokeStyle = colour;
      context.lineWidth = size;
      context.beginPath();
      context.moveTo(middle, middle - 14);
      context.lineTo(middle, middle + 14);
      context.moveTo(middle - 14, middle);
      context.lineTo(middle + 14, middle);
      context.stroke();
    }
  }, [paint, palette.surround]);
  return (
    <View
      testID="magnifier"
      aria-hidden
      style={{
        position: 'absolute',
        pointerEvents: 'none',
        top: 4,
        [left ? 'right' : 'left']: 4,
        width: MAGNIFIER_PX + 2,
        borderWidth: 1,
        borderColor: '#fff',
        borderRadius: RADIUS,
        overflow: 'hidden',
        backgroundColor: '#000',
      }}
    >
      <canvas
        ref={canvas}
        width={MAGNIFIER_PX}
        height={MAGNIFIER_PX}
        style={{ width: MAGNIFIER_PX, height: MAGNIFIER_PX, display: 'block' }}
      />
      {value ? (
        <Text size="small" style={{ color: '#fff', paddingHorizontal: 4 }} testID="magnifier-value">
          {value}
        </Text>
      ) : null}
    </View>
  );
}

/** Paints the part of a bitmap that lies about a point of it; `width` is that of the picture on the screen. */
export const paintBitmap =
  (bitmap: ImageBitmap, at: { x: number; y: number }, width: number) => (context: CanvasRenderingContext2D) => {
    const part = ((MAGNIFIER_PX / MAGNIFIED) * bitmap.width) / width;
    const [x, y] = [at.x * bitmap.width - part / 2, at.y * bitmap.height - part / 2];
    context.drawImage(bitmap, x, y, part, part, 0, 0, MAGNIFIER_PX, MAGNIFIER_PX);
  };

/** Paints light, sampled by pixels of the screen beside the finger, as a display shows it. */
export const paintLight =
  (lightAt: (dx: number, dy: number) => readonly number[] | null, gain: number) =>
  (context: CanvasRenderingContext2D) => {
    const image = context.createImageData(MAGNIFIER_PX, MAGNIFIER_PX);
    for (let y = 0, i = 0; y < MAGNIFIER_PX; y++)
      for (let x = 0; x < MAGNIFIER_PX; x++, i += 4) {
        const light = lightAt((x - MAGNIFIER_PX / 2) / MAGNIFIED, (y - MAGNIFIER_PX / 2) / MAGNIFIED);
        for (let c = 0; c < 3; c++)
          image.data[i + c] = light ? 255 * Math.min(1, Math.max(0, light[c] * gain)) ** (1 / 2.2) : 0;
        image.data[i + 3] = 255;
      }
    context.putImageData(image, 0, 0);
  };
