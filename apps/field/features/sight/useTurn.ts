import { useEffect, useState, useSyncExternalStore } from 'react';
import { ValueStore } from '../../ui/valueStore';
import type { HandTurn } from './sightMath';

/** Steps back that are kept. */
const KEPT = 60;
/** Changes within this time are one step: a drag, a row of taps. */
const ONE_STEP_MS = 600;
/** A hand that rests so long has turned as far as it meant to. */
const SETTLED_MS = 250;

/** A turn by hand with undo. Who shows it listens to it alone: a drag renders nothing else. */
export class TurnStore extends ValueStore<HandTurn> {
  private before: HandTurn[] = [];
  private at = 0;

  readonly canUndo = (): boolean => this.before.length > 0;

  override readonly change = (to: (t: HandTurn) => HandTurn, now = Date.now()): void => {
    if (now - this.at >= ONE_STEP_MS) this.before = [...this.before, this.get()].slice(-KEPT);
    this.at = now;
    this.set(to(this.get()));
  };

  readonly undo = (): void => {
    const last = this.before.at(-1);
    if (!last) return;
    this.before = this.before.slice(0, -1);
    this.at = 0;
    this.set(last);
  };
}

/** A turn by hand; arrow keys turn by a tenth of a degree, with shift by one; up and down lean, page keys roll. */
export function useTurn(start: HandTurn): TurnStore {
  const [store] = useState(() => new TurnStore(start));
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
        store.change((t) => ({
          yawDeg: t.yawDeg + (d.yawDeg ?? 0),
          tiltDeg: t.tiltDeg + (d.tiltDeg ?? 0),
          rollDeg: t.rollDeg + (d.rollDeg ?? 0),
        }));
        e.preventDefault();
      } else if (e.key === 'z' && (e.ctrlKey || e.metaKey)) {
        store.undo();
        e.preventDefault();
      }
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, [store]);
  return store;
}

export const useCanUndo = (store: TurnStore): boolean => useSyncExternalStore(store.subscribe, store.canUndo);

/** The turn once the hand rests: for what need not follow every pixel of a drag. */
export const useSettledTurn = (store: TurnStore): HandTurn => useSettled(store)[0];

/** One angle of the turn for a field: it follows a drag once the hand rests, and at once what is set in the field itself. */
export function useSettledAngle(store: TurnStore, field: keyof HandTurn): [number, (angleDeg: number) => void] {
  const [turn, show] = useSettled(store);
  const set = (angleDeg: number) => {
    store.change((t) => ({ ...t, [field]: angleDeg }));
    show(store.get());
  };
  return [turn[field], set];
}

function useSettled(store: TurnStore): [HandTurn, (turn: HandTurn) => void] {
  const [settled, setSettled] = useState(store.get);
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const stop = store.subscribe(() => {
      clearTimeout(timer);
      timer = setTimeout(() => setSettled(store.get()), SETTLED_MS);
    });
    return () => {
      clearTimeout(timer);
      stop();
    };
  }, [store]);
  return [settled, setSettled];
}
