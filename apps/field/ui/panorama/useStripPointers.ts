import { wrap360 } from '@tawny/core/sphere/direction';
import { useRef, useState, type PointerEvent, type WheelEvent } from 'react';
import { anglesAt, tame, type StripRect, type StripView } from './stripView';

interface PointerInput {
  view: StripView;
  setView: (update: (view: StripView) => StripView) => void;
  width: number;
  height: number;
  marking: boolean;
  yawDeg: number;
  onMark?: (rect: StripRect) => void;
  onTap: (x: number, y: number) => void;
}

/** Drag, pinch, wheel and tap on the strip. */
export function useStripPointers({ view, setView, width, height, marking, yawDeg, onMark, onTap }: PointerInput) {
  const pointers = useRef(new Map<number, { x: number; y: number }>());
  const origin = useRef<{ x: number; y: number; moved: boolean } | null>(null);
  const [draft, setDraft] = useState<StripRect | null>(null);
  const at = (e: PointerEvent) => {
    const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
    return { x: e.clientX - box.left, y: e.clientY - box.top };
  };
  const rectOf = (a: { x: number; y: number }, b: { x: number; y: number }): StripRect => {
    const p = anglesAt(view, Math.min(a.x, b.x), Math.min(a.y, b.y), width, height);
    const q = anglesAt(view, Math.max(a.x, b.x), Math.max(a.y, b.y), width, height);
    const share = (azimuth: number) => wrap360(azimuth - yawDeg) / 360;
    return {
      left: share(p.azimuthDeg),
      right: share(q.azimuthDeg),
      top: (90 - p.elevationDeg) / 180,
      bottom: (90 - q.elevationDeg) / 180,
    };
  };
  const handlers = {
    onPointerDown: (e: PointerEvent) => {
      (e.currentTarget as HTMLElement).setPointerCapture(e.pointerId);
      pointers.current.set(e.pointerId, at(e));
      origin.current = { ...at(e), moved: false };
    },
    onPointerMove: (e: PointerEvent) => {
      const before = pointers.current.get(e.pointerId);
      if (!before || !origin.current) return;
      const now = at(e);
      if (Math.hypot(now.x - origin.current.x, now.y - origin.current.y) > 4) origin.current.moved = true;
      if (pointers.current.size === 2) {
        const other = [...pointers.current.entries()].find(([id]) => id !== e.pointerId)![1];
        const ratio =
          Math.hypot(before.x - other.x, before.y - other.y) /
          Math.max(8, Math.hypot(now.x - other.x, now.y - other.y));
        setView((v) => tame({ ...v, spanDeg: v.spanDeg * ratio }, width, height));
      } else if (marking) {
        setDraft(rectOf(origin.current, now));
      } else {
        const degPerPx = view.spanDeg / width;
        setView((v) =>
          tame(
            {
              ...v,
              azimuthDeg: v.azimuthDeg - (now.x - before.x) * degPerPx,
              elevationDeg: v.elevationDeg + (now.y - before.y) * degPerPx,
            },
            width,
            height,
          ),
        );
      }
      pointers.current.set(e.pointerId, now);
    },
    onPointerUp: (e: PointerEvent) => {
      const from = origin.current;
      pointers.current.delete(e.pointerId);
      origin.current = null;
      if (!from) return;
      if (marking && from.moved) onMark?.(rectOf(from, at(e)));
      else if (!from.moved) onTap(from.x, from.y);
      setDraft(null);
    },
    onPointerCancel: (e: PointerEvent) => {
      pointers.current.delete(e.pointerId);
      origin.current = null;
      setDraft(null);
    },
    onWheel: (e: WheelEvent) =>
      setView((v) => tame({ ...v, spanDeg: v.spanDeg * (e.deltaY > 0 ? 1.1 : 1 / 1.1) }, width, height)),
  };
  return { handlers, draft };
}
