import { NOTABLE_CLIPPED_SR } from '@tawny/core';
import type { Basis } from '@tawny/contract';

/** What a package could hold. */
interface Present {
  north: boolean;
  gain: boolean;
  /** How the gain was carried from another take; null when it was measured in this one. */
  carried: string | null;
  /** What does not fit of the exposures that the gain rests on; null when nothing speaks against it. */
  doubt: string | null;
  /** Why the colours are not matched; null when they are. */
  colour: string | null;
  conditions: readonly [string, string];
  sun: boolean;
  /** How far the sun of the take stands from the round's, and whether the light was aimed anew. */
  drift: { takeDeg: number; limitDeg: number; aimed: boolean };
  clipped: boolean;
  single: boolean;
  clippedSr: number;
  format: boolean;
  position: boolean;
  /** What panorama, calibration and package rest on. */
  facts: readonly Pick<Basis['facts'][number], 'name' | 'kind' | 'source'>[];
  /** Names of facts that have changed since it was measured. */
  changed: string[];
}

/** What a package does not hold, in words for the artist. */
export function missingParts(p: Present): string[] {
  const out: string[] = [];
  const [shot, wanted] = p.conditions;
  if (shot !== wanted)
    out.push(`the light of the take: BORROWED, this panorama is of "${shot}", the take of "${wanted}"`);
  if (!p.north) out.push('north: unknown, everything is in the frame of the set; complete for lighting in it');
  if (!p.gain) out.push('gain to the plate: values are relative');
  if (p.carried !== null) out.push(`a gain of this take's own: ${p.carried}`);
  if (p.doubt !== null) out.push(`certainty about the gain: ${p.doubt}`);
  if (!p.sun) out.push('a sun: none was found in the panorama');
  const { takeDeg, limitDeg, aimed } = p.drift;
  if (p.sun && takeDeg > limitDeg)
    out.push(
      `a round as fresh as the take: the sun went on by ${takeDeg.toFixed(1)} degrees (limit ${limitDeg}); ${aimed ? 'its light is aimed anew, sky and shadows in the panorama are not' : 'its light stands where it was photographed'}`,
    );
  if (p.clipped) out.push('the full sun: the shortest frame clips it, its illuminance is a lower bound');
  if (p.single) out.push('measured highlights: a single exposure is good for reflections only');
  if (!p.clipped && p.clippedSr > NOTABLE_CLIPPED_SR)
    out.push(`light in ${p.clippedSr.toExponential(1)} sr that every frame clips`);
  if (!p.format) out.push('the camera: its recording format is unknown');
  if (!p.position) out.push('the camera: height, tilt or heading was not logged');
  if (p.changed.length > 0) out.push(`STALE: ${p.changed.join(', ')} changed since this was measured; measure again`);
  const assumed = p.facts.filter((f) => f.kind === 'assumed').map((f) => `${f.name} (${f.source})`);
  if (assumed.length > 0) out.push(`certainty about what is assumed: ${assumed.join(', ')}`);
  if (p.colour !== null) out.push(p.colour);
  out.push('balls and shadow proof: not measured yet');
  return out;
}
