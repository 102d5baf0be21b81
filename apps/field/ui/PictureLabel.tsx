import { Text as SvgText } from 'react-native-svg';
import { FONT } from './tokens';

/** Ink with a halo: legible on any picture. */
export const HALO = { stroke: '#000', strokeWidth: 3, strokeOpacity: 0.65 } as const;

/** A word over a picture, legible on whatever lies below. */
export function PictureLabel({
  x,
  y,
  text,
  anchor = 'middle',
}: {
  x: number;
  y: number;
  text: string;
  anchor?: 'start' | 'middle' | 'end';
}) {
  const common = { x, y, fontSize: 13, fontFamily: FONT.number, textAnchor: anchor } as const;
  return (
    <>
      <SvgText {...common} {...HALO} fill="none">
        {text}
      </SvgText>
      <SvgText {...common} fill="#fff">
        {text}
      </SvgText>
    </>
  );
}
