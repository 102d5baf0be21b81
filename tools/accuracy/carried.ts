import { bodyRatio, carryGain, CHANGE_STOPS, sigmaOf95, type PlateSettings } from '@tawny/core';
import { createRandom } from '@tawny/simset';
import { quantile, rms, type Section } from './table';

const STOPS = [1.4, 2, 2.8, 4, 5.6, 8, 11, 16];
const SHUTTERS = [1 / 24, 1 / 48, 1 / 50, 1 / 96];
const EIS = [200, 400, 800, 1600];
const FILTERS = [0, 0.6, 1.2, 3, 6];
/** As the card in a plate is measured, 95 %. */
const CARD_STOPS = 0.05;

/** Two takes of one light: the truth follows from what their settings really are, each off by its own error. */
function trial(seed: number, changeBody: boolean) {
  const random = createRandom(seed, `carried ${changeBody}`);
  const pick = <T>(of: readonly T[]): T => of[Math.floor(random.next() * of.length)];
  const take = (body: string): PlateSettings => ({
    body,
    lens: pick(['l', 'm']),
    tStop: pick(STOPS),
    shutterS: pick(SHUTTERS),
    ei: pick(EIS),
    ndStops: pick(FILTERS),
  });
  const [from, to] = [take('a'), take(changeBody ? 'b' : 'a')];
  const truth = -2 + 4 * random.next();
  const measured = truth + sigmaOf95(CARD_STOPS) * random.normal();
  const carried = carryGain({ gainStops: measured, uncertaintyStops: CARD_STOPS }, from, to);
  const drawn = carried.changed.map((s) => sigmaOf95(CHANGE_STOPS[s]) * random.normal());
  // Written out again here, so that a slip of the one is seen in the other.
  const really =
    truth +
    2 * Math.log2(from.tStop / to.tStop) +
    Math.log2(to.shutterS / from.shutterS) +
    Math.log2(to.ei / from.ei) +
    (from.ndStops - to.ndStops) +
    drawn.reduce((sum, d) => sum + d, 0);
  return { error: carried.gainStops - really, half: carried.uncertaintyStops!, drawn: rms([Math.hypot(...drawn)]) };
}

/**
 * Two bodies whose cards were measured on one panorama, and a third take by the other body on another one: what the second body is more than its
 * metadata say was drawn once and is in both.
 */
function ratioTrial(seed: number) {
  const random = createRandom(seed, 'carried by ratio');
  const pick = <T>(of: readonly T[]): T => of[Math.floor(random.next() * of.length)];
  const take = (body: string): PlateSettings => ({
    body,
    lens: 'l',
    tStop: pick(STOPS),
    shutterS: 1 / 48,
    ei: pick(EIS),
    ndStops: 0,
  });
  const noise = (stops: number) => sigmaOf95(stops) * random.normal();
  const body = noise(CHANGE_STOPS.body);
  const [a, b, c, d] = [take('a'), take('b'), take('a'), take('b')];
  const between = (from: PlateSettings, to: PlateSettings) =>
    2 * Math.log2(from.tStop / to.tStop) + Math.log2(to.ei / from.ei);
  // Every take's own departure from its engravings, drawn once a take: what differs between two takes is drawn as it is stated.
  const drawn = (from: PlateSettings, to: PlateSettings) => [
    from.tStop === to.tStop ? 0 : noise(CHANGE_STOPS['T-stop']),
    from.ei === to.ei ? 0 : noise(CHANGE_STOPS.EI),
  ];
  const sum = (v: readonly number[]) => v.reduce((s, x) => s + x, 0);
  const [first, second] = [-1 + 2 * random.next(), -1 + 2 * random.next()];
  const [ab, cd] = [drawn(a, b), drawn(c, d)];
  const card = (gain: number) => gain + noise(CARD_STOPS);
  const measured = (gainStops: number, settings: PlateSettings) => ({
    gainStops,
    uncertaintyStops: CARD_STOPS,
    settings,
  });
  const inA = measured(card(first), a);
  const inB = measured(card(first + between(a, b) + body + sum(ab)), b);
  const inC = { gainStops: card(second), uncertaintyStops: CARD_STOPS };
  const carried = carryGain(inC, c, d, bodyRatio(inA, inB));
  const really = second + between(c, d) + body + sum(cd);
  const spread = Math.hypot(...ab, ...cd, Math.sqrt(3) * sigmaOf95(CARD_STOPS));
  return { error: carried.gainStops - really, half: carried.uncertaintyStops!, drawn: spread };
}

/** Gains carried from the take that was measured to others. */
export function carriedSection(sets: number): Section {
  const rows = [false, true].map((changeBody) => {
    const trials = Array.from({ length: sets }, (_, k) => trial(k + 1, changeBody));
    const inside = trials.filter((t) => Math.abs(t.error) <= t.half).length / sets;
    const error = rms(trials.map((t) => t.error));
    const drawn = Math.hypot(rms(trials.map((t) => t.drawn)), sigmaOf95(CARD_STOPS));
    const half = quantile(trials.map((t) => t.half), 0.5); // prettier-ignore
    return {
      what: `${changeBody ? 'to another body' : 'to another take of the same body'}: rms over that of the drawn errors; inside its 95 % interval; median half width`,
      bound: 'at most 1.15, 93-97 %',
      measured: `${(error / drawn).toFixed(2)}, ${(100 * inside).toFixed(1)} %, ${half.toFixed(2)} stop`,
      holds: error / drawn <= 1.15 && inside >= 0.93 && inside <= 0.97,
    };
  });
  const trials = Array.from({ length: sets }, (_, k) => ratioTrial(k + 1));
  const inside = trials.filter((t) => Math.abs(t.error) <= t.half).length / sets;
  const [error, drawn] = [rms(trials.map((t) => t.error)), rms(trials.map((t) => t.drawn))];
  rows.push({
    what: 'to another body that was held against the first on one panorama: the same',
    bound: 'at most 1.15, 93-97 %',
    measured: `${(error / drawn).toFixed(2)}, ${(100 * inside).toFixed(1)} %, ${quantile(trials.map((t) => t.half), 0.5).toFixed(2)} stop`,
    holds: error / drawn <= 1.15 && inside >= 0.93 && inside <= 0.97,
  }); // prettier-ignore
  return {
    title: 'Exposure carried to other takes',
    how: `${sets} pairs of takes without pictures; card measured to ± ${CARD_STOPS} stop, stop, shutter, ND, EI, lens and body off by errors drawn from what is stated of each.`,
    rows,
  };
}
