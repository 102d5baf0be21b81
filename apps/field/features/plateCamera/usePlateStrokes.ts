import { useState } from 'react';
import { plateStrokesInput } from '@tawny/contract/plateCamera';
import { drawnOf, NOTHING_DRAWN, type Drawn } from './plateStrokes';

/** Steps back that are kept. */
const KEPT = 60;
const key = (plateId: string) => `tawny.plate-strokes.${plateId}`;

/** Drawn strokes live in the browser until the take carries what they tell: a reload loses nothing. */
function load(plateId: string): Drawn | null {
  const kept = localStorage.getItem(key(plateId));
  if (!kept) return null;
  try {
    const read = plateStrokesInput.safeParse(JSON.parse(kept));
    if (read.success) return drawnOf(read.data);
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error;
  }
  localStorage.removeItem(key(plateId));
  return null;
}

/** Strokes on a plate with undo; they begin with a draft, with what the take's camera was measured from, or with nothing. */
export function usePlateStrokes(plateId: string, stored: Drawn | null) {
  const [state, setState] = useState<{ drawn: Drawn; before: Drawn[] }>(() => ({
    drawn: load(plateId) ?? stored ?? NOTHING_DRAWN,
    before: [],
  }));
  const keep = (drawn: Drawn) => localStorage.setItem(key(plateId), JSON.stringify(drawn));
  const change = (drawn: Drawn) => {
    keep(drawn);
    setState((s) => ({ drawn, before: [...s.before, s.drawn].slice(-KEPT) }));
  };
  const undo = () => {
    const last = state.before.at(-1);
    if (!last) return;
    keep(last);
    setState({ drawn: last, before: state.before.slice(0, -1) });
  };
  return { drawn: state.drawn, change, undo, canUndo: state.before.length > 0, settle: () => localStorage.removeItem(key(plateId)) }; // prettier-ignore
}
