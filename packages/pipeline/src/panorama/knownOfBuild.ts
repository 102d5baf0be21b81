import { clippedPlaces, decodeUncertainty, glareCeiling, UNKNOWN_UNCERTAINTY, type CheckFacts } from '@tawny/core';
import type { BuildOptions, BuildResult } from '../build/buildPanorama';

/** What a build knows beyond the pixels, for the check sheet. */
export function knownOfBuild(built: BuildResult, options: BuildOptions = {}): Partial<CheckFacts> {
  return {
    seamStops: built.seamStops,
    uncoveredSr: built.uncoveredSr,
    movedSr: options.moved === false ? undefined : built.movedSr,
    movedThings: built.views.length > 1 ? built.moved : undefined,
    lightDriftStops: built.lightDriftStops,
    framesPerView: built.bracketFrames,
    responseFrom: built.responseFrom,
    responseDepartureStops: built.responseDepartureStops,
    level: built.level,
    placementDeg: built.placementDeg,
    falloffStops: built.falloff?.uncertaintyStops ?? null,
    parallaxDeg: built.views.length > 1 ? (Math.atan(Math.abs(built.pupilShare)) * 180) / Math.PI : null,
    glareTaken: built.glareTaken,
    glareCeiling: glareCeiling(built.panorama),
    clippedPlaces: clippedPlaces(built.mask, built.panorama.width),
    medianUncertainty: medianUncertainty(built.uncertainty),
  };
}

function medianUncertainty(codes: Uint8Array): number {
  const counts = new Float64Array(256);
  for (const code of codes) counts[code]++;
  const known = codes.length - counts[UNKNOWN_UNCERTAINTY];
  let seen = 0;
  for (let code = 0; code < UNKNOWN_UNCERTAINTY; code++) {
    seen += counts[code];
    if (seen >= known / 2) return decodeUncertainty(code);
  }
  return NaN;
}
