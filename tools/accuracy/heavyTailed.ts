import type { createRandom } from '@tawny/simset';

type Random = ReturnType<typeof createRandom>;

/** Draws whose normal errors have heavy tails instead: Student's t with four degrees of freedom, scaled to the same standard deviation. */
export function heavyTailed(random: Random): Random {
  const positive = () => 1 - random.next();
  return {
    next: () => random.next(),
    // A chi-square of four degrees of freedom is -2 ln of two uniform numbers; the variance of such a t is 2.
    normal: () => random.normal() / Math.sqrt(-Math.log(positive() * positive()) / 2) / Math.SQRT2,
  };
}
