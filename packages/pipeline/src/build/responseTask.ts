import { recoverResponse, type RecoveredResponse, type ResponseOptions, type ResponseSample } from '@tawny/core';

export interface ResponseInput {
  samples: [ResponseSample[], ResponseSample[], ResponseSample[]];
  ladder: readonly number[];
  options: ResponseOptions;
}

/** The response in a thread. What the round cannot tell comes back as a reason: it ends nothing. */
export function responseTask({
  samples,
  ladder,
  options,
}: ResponseInput): { response: RecoveredResponse } | { reason: string } {
  try {
    return { response: recoverResponse(samples, ladder, options) };
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    return { reason: error.message };
  }
}
