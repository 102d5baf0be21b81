import type { PanoramaCorners } from '@tawny/contract';
import type { FourCorners } from '../../ui/corners';

/** Corners as a request states them: of plates shares of the sides, of panoramas azimuth and elevation. */
export const plainCorners = (corners: FourCorners): PanoramaCorners =>
  corners.map((c) => [...c]) as unknown as PanoramaCorners;
