/** From where on a quantity is worth a word, from where on it is lost (null: it never is), and why there. */
export interface Limit {
  good: number;
  lost: number | null;
  unit: string;
  why: string;
}

/**
 * Every threshold of the verdicts on views and panoramas, with its reason. A scene's own range is no fault: what counts is that its lights are not
 * cut off and its darks are not noise. What was not measured is not lost.
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
    why: 'a tenth a pixel is even over any area that lights something; a third is noise',
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
    why: 'the search for shifts is good to half a pixel; three times that is a bump',
  },
  unsteady: {
    good: 0.4,
    lost: null,
    unit: 'stop',
    why: "a file's curve taken for true and real shutters explain this much of a frame against its neighbour",
  },
  blackFloor: {
    good: 0.5,
    lost: null,
    unit: 'of the mean',
    why: 'white rooms and fog reach a third of their mean in their darkest places; half is a lifted picture',
  },
  seam: {
    good: 0.06,
    lost: 0.15,
    unit: 'stop',
    why: 'still rounds of a fitted lens leave 0.02 to 0.04; from a tenth on the hand-over shows',
  },
  drift: {
    good: 0.12,
    lost: 0.5,
    unit: 'stop',
    why: 'gains of still light are found to 0.03; half a stop is another light',
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
    why: 'beyond what its own uncertainty explains: 0.3 is a fifth of a degree of north at a low sun, 1 shows in reflections',
  },
  parallax: {
    good: 0.25,
    lost: null,
    unit: '°',
    why: 'a third of a pixel at 4096; the fit itself tells the pupil to a tenth of a degree',
  },
  falloff: {
    good: 0.2,
    lost: null,
    unit: 'stop',
    why: 'broad areas are even to half of it: a tenth of a stop is what a grader sees',
  },
  edge: {
    good: 3,
    lost: 3,
    unit: '× usual',
    why: 'neighbouring columns of a whole panorama differ as any two do; three times that is a cut',
  },
  poles: { good: 1.5, lost: 1.5, unit: '× usual', why: 'the outermost rows are one point each' },
  resolution: {
    good: 2048,
    lost: null,
    unit: 'px',
    why: 'light needs less; reflections on a product shot want 4096 and more',
  },
} satisfies Record<string, Limit>;
