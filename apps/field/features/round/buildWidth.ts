/** Widths that a panorama is built at. */
export const WIDTHS = [2048, 4096, 8192, 16384].map((px) => ({ value: String(px), title: `${px / 1024}K` }));

/** Nobody waits longer for the first panorama than this width takes. */
const WIDEST_FIRST = 4096;
/** What is given away before the next width is taken. */
const SPARED = 0.9;

/** The narrowest width that holds what the frames show, pixels. */
export function widthFor(detailPx: number | null): number {
  const wanted = Math.min(WIDEST_FIRST, SPARED * (detailPx ?? WIDEST_FIRST / SPARED));
  return Number(WIDTHS.find((w) => Number(w.value) >= wanted)!.value);
}
