/** Half width of the 95 % interval of a normal variable, in sigmas. CONVENTIONS.md section 7. */
export const NORMAL_95 = 1.96;

/** Radius of the 95 % region of two coordinates of one sigma each, in sigmas: sqrt(-2 ln 0.05). */
export const CIRCLE_95 = 2.4477;

/** Half width of the 95 % interval from independent standard deviations in one unit. */
export const halfWidth95 = (...sigmas: readonly number[]): number => NORMAL_95 * Math.hypot(...sigmas);

/** Standard deviation behind a stated 95 % half width. */
export const sigmaOf95 = (halfWidth: number): number => halfWidth / NORMAL_95;
