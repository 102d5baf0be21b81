import { useCallback, useEffect, useState } from 'react';
import type { HandTurn } from './sightMath';

/** Steps back that are kept. */
const KEPT = 60;
/** Changes within this time are one step: a drag, a row of taps. */
const ONE_STEP_MS = 600;

/** A turn by hand with undo; arrow keys turn by a tenth of a degree, with shift by one; up and down lean, page keys roll. */
export function useTurn(start: HandTurn) {
  const [state, setState] = useState<{ turn: HandTurn; before: HandTurn[]; at: number }>({
    turn: start,
    before: [],
    at: 0,
  });
  const change = useCallback((to: (t: HandTurn) => HandTurn, now = Date.now()) => {
    setState((s) => ({
      turn: to(s.turn),
      before: now - s.at < ONE_STEP_MS ? s.before : [...s.before, s.turn].slice(-KEPT),
      at: now,
    }));
  }, []);
  const undo = useCallback(
    () =>
      setState((s) => (s.before.length === 0 ? s : { turn: s.before.at(-1)!, before: s.before.slice(0, -1), at: 0 })),
    [],
  );
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if (e.target instanceof HTMLInputElement || e.target instanceof HTMLTextAreaElement) return;
      const step = e.shiftKey ? 1 : 0.1;
      const by: Record<string, Partial<HandTurn>> = {
        ArrowLeft: { yawDeg: -step },
        ArrowRight: { yawDeg: step },
        ArrowUp: { tiltDeg: step },
        ArrowDown: { tiltDeg: -step },
        PageUp: { rollDeg: step },
        PageDown: { rollDeg: -step },
      };
      const d = by[e.key];
      if (d) {
        change((t) => ({
          yawDeg: t.yawDeg + (d.yawDeg ?? 0),
          tiltDeg: t.tiltDeg + (d.tiltDeg ?? 0),
          rollDeg: t.rollDeg + (d.rollDeg ?? 0),
        }));
        e.preventDefault();
      } else if (e.key === 'z' && (e.ctrlKey || e.metaKey)) {
        undo();
        e.preventDefault();
      }
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, [change, undo]);
  return { turn: state.turn, change, undo, canUndo: state.before.length > 0 };
}
