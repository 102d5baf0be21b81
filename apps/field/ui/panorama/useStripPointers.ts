import { wrap360 } from '@tawny/core/sphere/direction';
import { useRef, useState, type PointerEvent, type WheelEvent } from 'react';
import { beginDrag, draggedTo, type CornerDrag, type FourCorners, type Point } from '../corners';
import { holdPointer } from '../holdPointer';
import type { ValueStore } from '../valueStore';
import { anglesAt, cornersOnScreen, tame, type StripView } from './stripView';

interface PointerInput {
  view: ValueStore<StripView>;
  width: number;
  height: number;
  marking: boolean;
  yawDeg: number;
  /** Azimuths and elevations in the panorama's own frame. */
  mark: FourCorners | null;
  onMark?: (corners: FourCorners) => void;
  onTap: (x: number, y: number) => void;
}

/** Drag, pinch, wheel and tap on the strip. */
export function useStripPointers({ view, width, height, marking, yawDeg, mark, onMark, onTap }: PointerInput) {
  const pointers = useRef(new Map<number, { x: number; y: number }>());
  const origin = useRef<{ x: number; y: number; moved: boolean } | null>(null);
  const corner = useRef<CornerDrag | null>(null);
  /** Where the finger marks, and what it has marked so far, on the screen. */
  const [marked, setMarked] = useState<{ at: Point; draft: FourCorners | null } | null>(null);
  const at = (e: PointerEvent) => {
    const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
    return { x: e.clientX - box.left, y: e.clientY - box.top };
  };
  const inPanorama = (corners: FourCorners) =>
    corners.map(([x, y]) => {
      const { azimuthDeg, elevationDeg } = anglesAt(view.get(), x, y, width, height);
      return [wrap360(azimuthDeg - yawDeg), elevationDeg];
    }) as unknown as FourCorners;
  const handlers = {
    onPointerDown: (e: PointerEvent) => {
      holdPointer(e);
      pointers.current.set(e.pointerId, at(e));
      origin.current = { ...at(e), moved: false };
      if (marking)
        corner.current = beginDrag(mark && cornersOnScreen(view.get(), mark, yawDeg, width, height), [
          at(e).x,
          at(e).y,
        ]);
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
        view.change((v) => tame({ ...v, spanDeg: v.spanDeg * ratio }, width, height));
      } else if (marking && corner.current) {
        setMarked({ at: [now.x, now.y], draft: draggedTo(corner.current, [now.x, now.y]) });
      } else {
        view.change((v) => {
          const degPerPx = v.spanDeg / width;
          const azimuthDeg = v.azimuthDeg - (now.x - before.x) * degPerPx;
          return tame(
            { ...v, azimuthDeg, elevationDeg: v.elevationDeg + (now.y - before.y) * degPerPx },
            width,
            height,
          );
        });
      }
      pointers.current.set(e.pointerId, now);
    },
    onPointerUp: (e: PointerEvent) => {
      const from = origin.current;
      pointers.current.delete(e.pointerId);
      origin.current = null;
      if (!from) return;
      const to = at(e);
      const laid = marking && from.moved && corner.current ? draggedTo(corner.current, [to.x, to.y]) : null;
      if (laid) onMark?.(inPanorama(laid));
      else if (!from.moved) onTap(from.x, from.y);
      corner.current = null;
      if (marked) setMarked(null);
    },
    onPointerCancel: (e: PointerEvent) => {
      pointers.current.delete(e.pointerId);
      origin.current = corner.current = null;
      setMarked(null);
    },
    onWheel: (e: WheelEvent) =>
      view.change((v) => tame({ ...v, spanDeg: v.spanDeg * (e.deltaY > 0 ? 1.1 : 1 / 1.1) }, width, height)),
  };
  return { handlers, marked };
}
