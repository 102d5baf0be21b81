import type { PointerEvent } from 'react';

/**
 * A drag over a picture is the picture's until the pointer is let go. The mouse events that browsers send after those of the pointer are not sent: they
 * say nothing more, and are half of what a drag costs. A field that was being typed in is left, as it is by any other tap.
 */
export function holdPointer(e: PointerEvent): void {
  e.preventDefault();
  if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
  (e.currentTarget as HTMLElement).setPointerCapture(e.pointerId);
}
