import type { PlateStrokes } from '@tawny/contract';
import type { Stroke } from '@tawny/core';

/** Families are told apart by shape, never by colour alone. */
export const MARKS = ['●', '▲', '■'] as const;

export type Family = PlateStrokes['families'][number];
export type KnownLengthDraft = NonNullable<PlateStrokes['knownLength']>;

/** What is drawn on a plate: three families, and a length that is known. */
export interface Drawn {
  families: Family[];
  knownLength: KnownLengthDraft | null;
}

export const NOTHING_DRAWN: Drawn = {
  families: [
    { kind: 'vertical', azimuthDeg: null, strokes: [] },
    { kind: 'level', azimuthDeg: null, strokes: [] },
    { kind: 'level', azimuthDeg: null, strokes: [] },
  ],
  knownLength: null,
};

/** Three families whatever was stored, so that each keeps its mark. */
export const drawnOf = (stored: PlateStrokes): Drawn => ({
  families: NOTHING_DRAWN.families.map((empty, k) => stored.families[k] ?? empty),
  knownLength: stored.knownLength,
});

export const strokeCount = (drawn: Drawn): number => drawn.families.reduce((n, f) => n + f.strokes.length, 0);

const changeFamily = (drawn: Drawn, k: number, change: (f: Family) => Family): Drawn => ({
  ...drawn,
  families: drawn.families.map((f, i) => (i === k ? change(f) : f)),
});

export const withStroke = (drawn: Drawn, k: number, [x1, y1, x2, y2]: Stroke): Drawn =>
  changeFamily(drawn, k, (f) => ({ ...f, strokes: [...f.strokes, [x1, y1, x2, y2]] }));

export const withoutStroke = (drawn: Drawn, k: number, stroke: number): Drawn =>
  changeFamily(drawn, k, (f) => ({ ...f, strokes: f.strokes.filter((_, i) => i !== stroke) }));

export const withFamily = (drawn: Drawn, k: number, to: Partial<Family>): Drawn =>
  changeFamily(drawn, k, (f) => ({ ...f, ...to }));

/** The stroke whose middle lies nearest to a place, within reach; pixels of the plate. */
export function strokeAt(
  drawn: Drawn,
  x: number,
  y: number,
  reachPx: number,
): { family: number; stroke: number } | null {
  let best: { family: number; stroke: number; away: number } | null = null;
  drawn.families.forEach((f, family) =>
    f.strokes.forEach(([x1, y1, x2, y2], stroke) => {
      const away = Math.hypot((x1 + x2) / 2 - x, (y1 + y2) / 2 - y);
      if (away <= reachPx && away < (best?.away ?? Infinity)) best = { family, stroke, away };
    }),
  );
  return best;
}
