/** From where on a quantity is worth a word, from where on it is lost (null: it never is), and why there. */
export interface Limit {
  good: number;
  lost: number | null;
  unit: string;
  why: string;
}

/**
 * Thresholds of the verdicts on views and panoramas, each with its reason (`docs/accuracy.md` lists them); a light counts as cut off from
 * `NOTABLE_CLIPPED_SR` on. A scene's own range is no fault: what counts is that its lights are held and its darks are not noise. What was not measured
 * is not lost.
 */
export const LIMITS = {
  dark: {
    good: 0.05,
    lost: null,
    unit: 'of a view',
    why: 'less than a twentieth in noise is the underside of things: light hardly comes from there',
  },
  noise: {
    good: 0.1,
    lost: 0.33,
    unit: 'median',
    why: 'a tenth a pixel averages out over any area that lights something; a third is noise',
  },
  movedInView: {
    good: 0.02,
    lost: 0.1,
    unit: 'of a view',
    why: 'leaves and a far figure are below a fiftieth; from a tenth on single frames make up the picture',
  },
  moved: {
    good: 0.02,
    lost: 0.1,
    unit: 'of the sphere',
    why: 'as in a view: leaves and far figures, of the whole sphere',
  },
  shake: {
    good: 1.5,
    lost: null,
    unit: 'px',
    why: 'frames of a still tripod are found within a pixel of each other',
  },
  unsteady: {
    good: 0.1,
    lost: null,
    unit: 'stop',
    why: 'a frame against its neighbours and the same frames of the other views: curve and shutter are the same there, so light or exposure changed',
  },
  unsteadyAlone: {
    good: 0.4,
    lost: null,
    unit: 'stop',
    why: "with fewer than four views: a file's curve taken for true and real shutters explain this much of a frame against its neighbour",
  },
  blackFloor: {
    good: 0.5,
    lost: null,
    unit: 'of the mean',
    why: 'the darkest places of an overcast quay reach an eighth of its mean, white rooms and fog more; at half nothing is dark any more',
  },
  seam: {
    good: 0.06,
    lost: 0.15,
    unit: 'stop',
    why: 'beyond their noise still rounds of a fitted lens leave a few hundredths; from a tenth on a hand-over shows',
  },
  drift: {
    good: 0.12,
    lost: 0.5,
    unit: 'stop',
    why: 'what response and falloff leave between the views of still light is less; half a stop is another light',
  },
  notSeen: {
    good: 0.002,
    lost: 0.3,
    unit: 'sr',
    why: 'a tripod hides a few thousandths; a fortieth of the sphere lights things',
  },
  level: {
    good: 0.3,
    lost: 1,
    unit: '°',
    why: 'beyond what its own uncertainty explains: with the sun 30 degrees high 0.3 turns north by 0.17; 1 shows in reflections',
  },
  parallax: {
    good: 0.25,
    lost: null,
    unit: '°',
    why: 'three pixels at 4096; the fit of a small round tells the pupil to about half of it',
  },
  placement: {
    good: 0.3,
    lost: null,
    unit: '°',
    why: 'rounds of three views and more leave a tenth of it; the sun is twice as wide',
  },
  falloff: {
    good: 0.2,
    lost: null,
    unit: 'stop',
    why: 'broad areas are even to half of it: a tenth of a stop is what a grader sees',
  },
  missingSun: {
    good: 0,
    lost: 0.3,
    unit: 'of a clear sun',
    why: 'haze takes about as much as the sky is known to; beyond that shadows are too soft',
  },
  place: {
    good: 4,
    lost: null,
    unit: '°',
    why: 'heads and click stops are three degrees off as a rule, which costs nothing; more is a slipped stop or frames of another view, and the fit begins far off',
  },
  unexplained: {
    good: 1.6,
    lost: 6,
    unit: '× noise',
    why: 'one curve for all places leaves 0.5 to 0.9 of noise and coding, with a curve of the camera too; local contrast that was raised twofold leaves 1.9, fourfold 3.3',
  },
  unexplainedOffCurve: {
    good: 1.15,
    lost: null,
    unit: '× noise',
    why: 'the same where the curve is far off, too: shadows lifted smoothly leave 1.2 to 2.8 and bend the curve by more than a stop',
  },
  curve: {
    good: 0.8,
    lost: null,
    unit: 'stop',
    why: 'no verdict alone, for cameras have curves of their own: from here on a curve counts as far off',
  },
  samePicture: {
    good: 0.6,
    lost: null,
    unit: 'of the detail',
    why: 'the same view again, with the head touched and somebody in it, shares 0.74 and more; views that were turned share 0.42 at most',
  },
  edge: {
    good: 3,
    lost: 3,
    unit: '× usual',
    why: 'the edge of a whole panorama is a place as any other; three times as steep as nine tenths of its places is a cut',
  },
  poles: { good: 1.5, lost: 1.5, unit: '× usual', why: 'the outermost rows are one point each' },
  resolution: {
    good: 2048,
    lost: null,
    unit: 'px',
    why: 'light needs less; reflections on a product shot want 4096 and more',
  },
} satisfies Record<string, Limit>;
