/** What a pixel of a panorama's mask says; one byte a pixel. */
export const COVERED = 0;
/** Light is cut off: the value is a lower bound. */
export const CLIPPED = 1;
/** No view sees it. */
export const UNSEEN = 2;
/** Covered, but by one frame of a bracket alone because its others contradicted it. */
export const MOVED = 3;
