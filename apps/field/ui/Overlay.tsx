import type { ReactNode } from 'react';
import Svg from 'react-native-svg';

/** What is drawn over a picture: taps go through it to the picture, and who does not see it is told by words beside it. */
export function Overlay({ width, height, children }: { width: number; height: number; children: ReactNode }) {
  return (
    <Svg
      width={width}
      height={height}
      style={{ position: 'absolute', top: 0, left: 0, pointerEvents: 'none' }}
      aria-hidden
    >
      {children}
    </Svg>
  );
}
