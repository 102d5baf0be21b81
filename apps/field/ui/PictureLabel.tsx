import { Text as SvgText } from 'react-native-svg';
import { FONT } from './tokens';

/** Ink with a halo: legible on any picture. */
export const HALO = { stroke: '#000', strokeWidth: 3, strokeOpacity: 0.65 } as const;

const SIZE = 13;
/** Width of a letter of the label's font, of its size. */
const LETTER = 0.6;

/**
 * Where the middle of a word may stand in a picture of some width so that it is not cut off; a word that is too wide stands in the middle, and one
 * of a place outside of the picture stays there.
 */
export function insideX(x: number, text: string, width: number): number {
  if (x < 0 || x > width) return x;
  const half = (text.length * LETTER * SIZE) / 2 + 3;
  return half > width / 2 ? width / 2 : Math.min(width - half, Math.max(half, x));
}

/** A word over a picture, legible on whatever lies below; `within` a picture of that width it is kept whole. */
export function PictureLabel({
  x: wanted,
  y,
  text,
  anchor = 'middle',
  within,
}: {
  x: number;
  y: number;
  text: string;
  anchor?: 'start' | 'middle' | 'end';
  within?: number;
}) {
  const x = within === undefined ? wanted : insideX(wanted, text, within);
  const common = { x, y, fontSize: SIZE, fontFamily: FONT.number, textAnchor: anchor } as const;
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
