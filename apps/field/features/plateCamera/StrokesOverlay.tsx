import { Circle, G, Line, Path, Rect } from 'react-native-svg';
import type { Plate } from '@tawny/contract';
import type { Stroke } from '@tawny/core';
import { Overlay } from '../../ui/Overlay';
import { HALO, PictureLabel } from '../../ui/PictureLabel';
import type { Drawn } from './plateStrokes';

/** Strokes with the mark of their family at the middle, a length that is known, and what is being drawn. */
export function StrokesOverlay({
  plate,
  width,
  height,
  drawn,
  outliers,
  chosen,
  draft,
}: {
  plate: Plate;
  width: number;
  height: number;
  drawn: Drawn;
  /** Strokes that were set aside, "family.stroke". */
  outliers: ReadonlySet<string>;
  chosen: { family: number; stroke: number } | null;
  draft: Stroke | null;
}) {
  const [sx, sy] = [width / plate.widthPx, height / plate.heightPx];
  const line = ([x1, y1, x2, y2]: Stroke, dashed: boolean) => {
    const ends = { x1: x1 * sx, y1: y1 * sy, x2: x2 * sx, y2: y2 * sy };
    return (
      <>
        <Line {...ends} {...HALO} />
        <Line {...ends} stroke="#fff" strokeWidth={1.6} strokeDasharray={dashed ? '5 4' : undefined} />
      </>
    );
  };
  const { knownLength: known } = drawn;
  return (
    <Overlay width={width} height={height}>
      {drawn.families.map((f, family) =>
        f.strokes.map((s, stroke) => {
          const middle = { x: ((s[0] + s[2]) / 2) * sx, y: ((s[1] + s[3]) / 2) * sy };
          const is = chosen?.family === family && chosen.stroke === stroke;
          return (
            <G key={`${family}.${stroke}`}>
              {line(s, outliers.has(`${family}.${stroke}`))}
              <FamilyMark family={family} {...middle} />
              {is ? (
                <Rect
                  x={middle.x - 13}
                  y={middle.y - 13}
                  width={26}
                  height={26}
                  stroke="#fff"
                  strokeWidth={2}
                  strokeDasharray="8 18 8 18 8 18 8 18"
                  strokeDashoffset={4}
                  fill="none"
                />
              ) : null}
            </G>
          );
        }),
      )}
      {known ? (
        <G>
          {line([...known.from, ...known.to], false)}
          <PictureLabel
            x={((known.from[0] + known.to[0]) / 2) * sx}
            y={((known.from[1] + known.to[1]) / 2) * sy - 8}
            text={`${known.lengthM} m`}
          />
        </G>
      ) : null}
      {draft ? line(draft, false) : null}
    </Overlay>
  );
}

/** ● ▲ ■ */
function FamilyMark({ family, x, y }: { family: number; x: number; y: number }) {
  const shown = (props: object) =>
    family === 0 ? (
      <Circle cx={x} cy={y} r={6} {...props} />
    ) : family === 1 ? (
      <Path d={`M${x},${y - 7} L${x + 7},${y + 5} L${x - 7},${y + 5} Z`} {...props} />
    ) : (
      <Rect x={x - 5.5} y={y - 5.5} width={11} height={11} {...props} />
    );
  return (
    <>
      {shown({ ...HALO, fill: 'none' })}
      {shown({ fill: '#fff' })}
    </>
  );
}
