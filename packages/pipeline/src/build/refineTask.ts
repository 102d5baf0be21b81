import { refineViews, type RefineOptions, type Refinement, type View } from '@tawny/core';

export interface RefineInput {
  views: View[];
  options: RefineOptions;
}

/** The fit in a thread, so that whoever waits for it can still be told how far it is, and can cancel. */
export function refineTask({ views, options }: RefineInput): Refinement {
  return refineViews(views, options);
}
