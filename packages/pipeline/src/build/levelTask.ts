import { levelFromVerticals, type LevelEstimate, type RgbImage } from '@tawny/core';

/** The level in a thread, for the same reason as the fit: it takes seconds. */
export function levelTask(panorama: RgbImage): LevelEstimate | null {
  return levelFromVerticals(panorama);
}
