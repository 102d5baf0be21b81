import Svg, { Circle, Line, Path, Rect } from 'react-native-svg';

export type Place = 'day' | 'log' | 'round' | 'measure' | 'handoff';

/** Our own five signs, 24 px, drawn with one stroke width. */
export function PlaceIcon({ place, colour, size = 24 }: { place: Place; colour: string; size?: number }) {
  const line = {
    stroke: colour,
    strokeWidth: 1.8,
    fill: 'none',
    strokeLinecap: 'round',
    strokeLinejoin: 'round',
  } as const;
  return (
    <Svg width={size} height={size} viewBox="0 0 24 24" aria-hidden>
      {place === 'day' ? (
        <>
          <Line x1={2} y1={17} x2={22} y2={17} {...line} />
          <Path d="M3 17 C7 4 17 4 21 17" {...line} />
          <Circle cx={16.6} cy={9.4} r={2.2} fill={colour} />
        </>
      ) : null}
      {place === 'log' ? (
        <>
          <Rect x={3.5} y={8} width={17} height={12} rx={1} {...line} />
          <Path d="M3.5 8 L19.5 3.5" {...line} />
          <Path d="M7.5 12.5 H16.5 M7.5 16 H13" {...line} />
        </>
      ) : null}
      {place === 'round' ? (
        <>
          <Circle cx={12} cy={12} r={9} {...line} />
          <Path d="M12 12 L12 3 M12 12 L19.8 16.5 M12 12 L4.2 16.5" {...line} />
          <Circle cx={12} cy={12} r={1.8} fill={colour} />
        </>
      ) : null}
      {place === 'measure' ? (
        <>
          <Line x1={3} y1={12} x2={21} y2={12} {...line} />
          <Line x1={12} y1={4} x2={12} y2={20} {...line} />
          <Circle cx={7} cy={8} r={1.8} fill={colour} />
          <Circle cx={15.5} cy={16} r={1.8} fill={colour} />
        </>
      ) : null}
      {place === 'handoff' ? (
        <>
          <Path d="M4 9 L12 5 L20 9 V18 L12 21 L4 18 Z" {...line} />
          <Path d="M4 9 L12 12.5 L20 9 M12 12.5 V21" {...line} />
        </>
      ) : null}
    </Svg>
  );
}
