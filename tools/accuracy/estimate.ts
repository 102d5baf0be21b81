import { adopt, NORMAL_95, type Source } from '@tawny/core';
import { createRandom } from '@tawny/simset';
import { rms, type Section } from './table';

const TRUTH = [1.3, -0.7];

interface Trial {
  /** Error of the first unknown over its stated sigma. */
  normalised: number;
  halfWidth: number;
  error: number;
  alarmed: boolean;
  /** Sources named as outliers. */
  named: string[];
}

/** Four to six sources of unlike strength see one or both of two unknowns; one of them may be off by 6 to 12 of its sigmas. */
function trial(seed: number, spoilt: boolean): Trial & { wrong: string } {
  const random = createRandom(seed, 'sources');
  const count = 4 + Math.floor(3 * random.next());
  const wrong = Math.floor(count * random.next());
  const sources: Source[] = Array.from({ length: count }, (_, i) => {
    const sigma = 0.02 * 10 ** random.next();
    const row = i % 3 === 0 ? [1, 0] : i % 3 === 1 ? [0, 1] : [1, 1];
    const off = spoilt && i === wrong ? (6 + 6 * random.next()) * (random.next() < 0.5 ? -1 : 1) : 0;
    return {
      name: `source ${i}`,
      sees: [row, ...(i === 2 ? [[1, -1]] : [])],
      value: [row, ...(i === 2 ? [[1, -1]] : [])].map(
        (r) => r[0] * TRUTH[0] + r[1] * TRUTH[1] + sigma * (random.normal() + off),
      ),
      covariance: i === 2 ? [[sigma ** 2, 0], [0, sigma ** 2]] : [[sigma ** 2]], // prettier-ignore
    };
  });
  const found = adopt(sources);
  const sigma = Math.sqrt(found.covariance[0][0]);
  const error = found.value[0] - TRUTH[0];
  return {
    wrong: `source ${wrong}`,
    normalised: error / sigma,
    halfWidth: NORMAL_95 * sigma,
    error,
    alarmed: found.verdict === 'disagrees' || found.sources.some((s) => s.outlier),
    named: found.sources.filter((s) => s.outlier).map((s) => s.name),
  };
}

/** What the joining of sources promises: its interval, its silence on clean sets, and the name of the one that is wrong. */
export function estimateSection(): Section {
  const clean = Array.from({ length: 1000 }, (_, i) => trial(i + 1, false));
  const inside = clean.filter((t) => Math.abs(t.error) <= t.halfWidth).length / 10;
  const spread = rms(clean.map((t) => t.normalised));
  const alarms = clean.slice(0, 200).filter((t) => t.alarmed).length;
  const spoilt = Array.from({ length: 60 }, (_, i) => trial(5000 + i, true));
  const named = spoilt.filter((t) => t.named.length === 1 && t.named[0] === t.wrong).length;
  const blamed = spoilt.filter((t) => t.named.some((n) => n !== t.wrong)).length;
  return {
    title: 'Joining sources',
    how: 'Four to six sources of unlike strength see one or both of two unknowns. Clean sets: 1000 for the interval, the first 200 for false alarms; 60 sets in which one source is off by 6 to 12 of its sigmas.',
    rows: [
      { what: 'truth inside the stated 95 % interval', bound: '93-97 %', measured: `${inside.toFixed(1)} %`, holds: inside >= 93 && inside <= 97 },
      { what: 'standard deviation of the normalised error', bound: '0.9-1.1', measured: spread.toFixed(3), holds: spread >= 0.9 && spread <= 1.1 },
      { what: 'false alarms, of 200 clean sets', bound: '4', measured: String(alarms), holds: alarms <= 4 },
      { what: 'the one that is wrong named, of 60', bound: '54', measured: `${named} (another one blamed: ${blamed})`, holds: named >= 54 },
    ], // prettier-ignore
  };
}
