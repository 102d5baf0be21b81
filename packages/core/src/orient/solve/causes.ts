import { explain } from '../../estimate/hypotheses';
import type { Vec3 } from '../../sphere/direction';
import { sunPosition } from '../../sun/ephemeris';
import { fitTurn, type Fit } from './fit';
import { nameOf, problemOf, type Variant } from './observations';
import type { OrientationCause, OrientationSources, SourceKind } from './sources';

/** One way in which the sources may contradict each other, and what is set aside if it is so. */
interface Explanation {
  /** Two ways to the same are one. */
  name: string;
  cause: OrientationCause;
  variant: Variant;
  odds: number;
  /** Names of the sources that are not used then. */
  aside: readonly string[];
}

/** What the tested explanations say. */
export interface Explained {
  /** The fit under the explanation that is the most probable. */
  fit: Fit;
  cause: OrientationCause;
  /** Sources that are set aside; empty where none can be singled out. */
  aside: readonly string[];
  /** Sources that some explanation with a say holds wrong. */
  suspects: readonly string[];
  /** The panorama was read the wrong way: nothing of it can be used as it is. */
  picture: boolean;
  /** Nothing is wrong: it happens that right sources lie so far apart. */
  chance: boolean;
}

/** Chance: that the sources differ by so much although nothing is wrong. Against it each explanation has its odds. */
const CHANCE = 'chance';
const CHANCE_ODDS = 30;
/** From here on an explanation has a say, and from here on it alone counts. */
const HAS_A_SAY = 0.02;
const COUNTS_ALONE = 0.95;

/** How far a source lies off when it is wrong (one sigma, degrees), and how often that is, against a wrong pick. */
const WRONG: Record<SourceKind, { sigmaDeg: number; odds: number; cause: OrientationCause }> = {
  pick: { sigmaDeg: 30, odds: 1, cause: 'pick' },
  mark: { sigmaDeg: 30, odds: 1, cause: 'pick' },
  vertical: { sigmaDeg: 10, odds: 1, cause: 'pick' },
  horizon: { sigmaDeg: 3, odds: 1, cause: 'pick' },
  compass: { sigmaDeg: 25, odds: 0.5, cause: 'compass' },
  sun: { sigmaDeg: 60, odds: 0.3, cause: 'cannotTell' },
  level: { sigmaDeg: 15, odds: 0.5, cause: 'cannotTell' },
  hand: { sigmaDeg: 40, odds: 0.5, cause: 'cannotTell' },
};
/** An instrument that iron or its own error turns, whatever it is read along. */
const COMPASS_OFF_DEG = 20;
/** A clock that was set by hand, or not at all. */
const CLOCK_OFF_S = 3600;
const HOUR_ODDS = 0.5;
/** Zones beyond the next are rarer. */
const ZONE_ODDS = 0.03;
const PICTURE_ODDS = 0.3;

const MIRRORED = ([x, y, z]: Vec3): Vec3 => [-x, y, z];
const ROWS_FLIPPED = ([x, y, z]: Vec3): Vec3 => [x, -y, z];
const ON_ITS_HEAD = ([x, y, z]: Vec3): Vec3 => [-x, -y, z];

/** Tests what would explain that sources contradict each other. */
export function explainTurn(s: OrientationSources, assumeLevel: boolean, plain: Fit): Explained {
  const offered: { e: Explanation; fit: Fit }[] = [
    { e: { name: CHANCE, cause: 'cannotTell', variant: {}, odds: CHANCE_ODDS, aside: [] }, fit: plain },
    ...explanations(s, plain).map((e) => ({ e, fit: fitTurn(problemOf(s, assumeLevel, e.variant), s) })),
  ];
  const highest = Math.max(...offered.map(({ fit }) => fit.logEvidence));
  const seen = plain.problem.observations.reduce((n, o) => n + o.sigmas.length, 0);
  const hypotheses = offered.map(({ e, fit }) => ({
    name: e.name,
    chi2: fit.chi2,
    parameters: 0,
    // The evidence holds the misfit already.
    odds: e.odds * Math.exp(fit.logEvidence - highest + fit.chi2 / 2),
  }));
  const { name, probabilities } = explain(hypotheses, seen);
  const probable = (e: Explanation) => probabilities[e.name];
  const best = offered.reduce((a, b) => (probable(b.e) > probable(a.e) ? b : a));
  const withASay = offered.filter(({ e }) => probable(e) >= HAS_A_SAY).map(({ e }) => e);
  const suspects = [...new Set(withASay.flatMap((e) => e.aside))];
  // Whatever is wrong with it, it may be certain which source is.
  const key = (e: Explanation) => [...e.aside].sort().join('\n');
  const shared = [...new Set(offered.map(({ e }) => e.name))].reduce((sum, n) => {
    const e = offered.find((o) => o.e.name === n)!.e;
    return key(e) === key(best.e) ? sum + probable(e) : sum;
  }, 0);
  const picture = best.e.cause === 'mirrored' || best.e.cause === 'upsideDown';
  const told = name !== 'cannotTell' && name !== CHANCE;
  return {
    fit: told && picture ? best.fit : plain,
    cause: told ? best.e.cause : 'cannotTell',
    aside: best.e.name !== CHANCE && shared >= COUNTS_ALONE && !picture ? best.e.aside : [],
    suspects,
    picture: told && picture,
    chance: name === CHANCE,
  };
}

/** Everything that may be wrong with some sources. */
function explanations(s: OrientationSources, plain: Fit): Explanation[] {
  const found: Explanation[] = plain.problem.observations.map((o) => {
    const { sigmaDeg, odds, cause } = WRONG[o.kind];
    return {
      name: `wrong ${o.name}`,
      cause,
      variant: { loose: new Map([[o.name, sigmaDeg]]) },
      odds,
      aside: [o.name],
    };
  });
  const compasses = s.compass.map((c) => c.name);
  if (compasses.length > 0) {
    if (compasses.length > 1)
      found.push({
        name: 'compasses',
        cause: 'compass',
        variant: { compassSigmaDeg: COMPASS_OFF_DEG },
        odds: 0.4,
        aside: compasses,
      });
    // Left out where it was needed, or taken off a bearing that was true already.
    const others = [(): number => 0, (c: OrientationSources['compass'][number]) => c.modelDeg ?? c.declinationDeg];
    for (const declinationDeg of others)
      if (s.compass.some((c) => Math.abs(declinationDeg(c) - c.declinationDeg) > c.declinationSigmaDeg))
        found.push({ name: 'magnetic', cause: 'magnetic', variant: { declinationDeg }, odds: 3, aside: compasses });
  }
  if (s.sun) {
    const aside = [nameOf.sun];
    found.push({ name: 'clock', cause: 'clock', variant: { clockSigmaS: CLOCK_OFF_S }, odds: 0.2, aside });
    for (let h = -12; h <= 12; h++) {
      const at = new Date(s.sun.utc.getTime() + 3600000 * h);
      if (h === 0 || sunPosition(s.sun.place, at).elevationDeg < -2) continue;
      const odds = Math.abs(h) === 1 ? HOUR_ODDS : ZONE_ODDS;
      found.push({ name: 'clockHour', cause: 'clockHour', variant: { clockHours: h }, odds, aside });
    }
  }
  const picture = (cause: OrientationCause, seen: (d: Vec3) => Vec3, odds: number) =>
    found.push({ name: cause, cause, variant: { seen }, odds, aside: [] });
  picture('mirrored', MIRRORED, PICTURE_ODDS);
  picture('upsideDown', ROWS_FLIPPED, PICTURE_ODDS / 2);
  picture('upsideDown', ON_ITS_HEAD, PICTURE_ODDS / 2);
  return found;
}
