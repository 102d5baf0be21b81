import { useEffect, useState } from 'react';
import type { Take } from '@tawny/contract';

const BLINK_MS = 600;

/** On and off while it blinks; the plate alone while on. */
export function useBlink(on: boolean): boolean {
  const [plateAlone, setPlateAlone] = useState(false);
  useEffect(() => {
    if (!on) return setPlateAlone(false);
    const timer = setInterval(() => setPlateAlone((v) => !v), BLINK_MS);
    return () => clearInterval(timer);
  }, [on]);
  return plateAlone;
}

/** n and p go from take to take. */
export function useTakeKeys(takes: readonly Take[], take: Take | undefined, onTake: (id: string) => void): void {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if (e.target instanceof HTMLInputElement || e.target instanceof HTMLTextAreaElement) return;
      const step = e.key === 'n' ? 1 : e.key === 'p' ? -1 : 0;
      if (step === 0 || !take) return;
      const next = takes[takes.findIndex((t) => t.id === take.id) + step];
      if (next) onTake(next.id);
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, [takes, take, onTake]);
}
