import {
  northFromSun,
  SETTING_STOPS,
  sigmaOf95,
  solveNetwork,
  wrap180,
  type NetworkTake,
  UNKNOWN_LEVEL_DEG,
  quaternionFromAttitude,
} from '@tawny/core';
import { checkPanorama, DEMO_PLACE, knownOfBuild, type SetSpec } from '@tawny/pipeline';
import { createRandom } from '@tawny/simset';
import { cardLean, cardTrial } from './card';
import { kept } from './kept';
import { commonRotation, turnOf } from './roundTrip';
import { quantile, rms, type Section } from './table';

const CLOCKS_S = [3, 30, 180];
/** How far the rigs of these rounds lean, as drawn: one set by its bubble, 95 %. The level itself is what the build measures. */
const LEAN_DEG = 0.5;
/** Mornings have the card in the shade of the quay's own things. */
const [FIRST_HOUR, LAST_HOUR] = [11, 16];

interface RenderedRound {
  northErrorDeg: number;
  northHalfDeg: number;
  cardErrorStops: number;
  cardHalfStops: number;
  carriedErrorStops: number;
  carriedHalfStops: number;
  drawnStops: number;
}

/** One round from its light to north, to a card's gain and to that gain in another take: sun that moves, clock off, rig leaning. */
async function renderedRound(seed: number): Promise<RenderedRound | null> {
  const random = createRandom(seed, 'rendered');
  const clockS = CLOCKS_S[seed % CLOCKS_S.length];
  const minutes = Math.round(60 * (FIRST_HOUR + (LAST_HOUR - FIRST_HOUR) * random.next()));
  const utc = new Date(Date.UTC(2026, 9, 14, 0, minutes)).toISOString();
  const spec: SetSpec = {
    scene: 'quay',
    seed,
    place: DEMO_PLACE,
    utc,
    turbidity: 2.5 + 2.5 * random.next(),
    card: cardLean(seed),
  };
  const clockErrorS = sigmaOf95(clockS) * random.normal();
  const lean = () => sigmaOf95(LEAN_DEG) * random.normal();
  const { shot, built, sunFrameAt, gain, errorStops } = await cardTrial(spec, {
    sunMoves: true,
    clockOffsetS: clockErrorS,
    faults: { lean: { southDeg: lean(), westDeg: lean() } },
  });
  const { inspection, levelDeg } = checkPanorama(built.panorama, { clippedSr: built.clippedSr }, knownOfBuild(built));
  if (!inspection.sun) return null;
  const north = northFromSun({ detected: inspection.sun, place: spec.place, utc: sunFrameAt, levelDeg, clockS });
  const { common } = commonRotation(
    built.attitudes,
    shot.truth.attitudes.map((a) => quaternionFromAttitude(a.actual)),
  );
  const trueYaw = turnOf(common);

  const timeMs = Date.parse(utc);
  const from: NetworkTake = {
    id: 'card',
    body: 'a',
    lens: 'l',
    tStop: 8,
    fStop: null,
    shutterS: 1 / 48,
    ei: 800,
    ndStops: 4,
    timeMs,
  };
  const to: NetworkTake = {
    ...from,
    id: 'other',
    tStop: [4, 5.6, 11][seed % 3],
    ei: [400, 800, 1600][(seed >> 1) % 3],
    ndStops: 2,
  };
  const card = (take: string | null, value: number, uncertaintyStops: number) =>
    ({ name: `card in ${take}`, take, value, uncertaintyStops, reflectance: 0.18, normal: null, timeMs }); // prettier-ignore
  const carried = solveNetwork({
    panorama: { rigResponsivity: null, timeMs },
    takes: [from, to],
    cards: [card('card', 0.18 * 2 ** gain.gainStops, gain.uncertaintyStops), card(null, 0.18, 0.005)],
    meters: [],
    driftStopsPerHour: null,
  }).takes[1];
  const drawn = [
    ...[from, to].flatMap(({ tStop, ei }) => [SETTING_STOPS.stop * Number(tStop !== 8 || to.tStop !== 8), SETTING_STOPS.ei * Number(ei !== 800 || to.ei !== 800)]),
    SETTING_STOPS.nd, SETTING_STOPS.nd, SETTING_STOPS.repeat, SETTING_STOPS.repeat,
  ].map((half) => sigmaOf95(half) * random.normal()); // prettier-ignore
  const drawnStops = drawn.reduce((sum, d) => sum + d, 0);
  const carriedOff =
    carried.gainStops -
    (gain.gainStops + 2 * Math.log2(from.tStop! / to.tStop!) + Math.log2(to.ei / from.ei) + from.ndStops - to.ndStops);
  return {
    northErrorDeg: wrap180(north.yawDeg - trueYaw),
    northHalfDeg: north.uncertaintyDeg,
    cardErrorStops: errorStops,
    cardHalfStops: gain.uncertaintyStops,
    carriedErrorStops: errorStops + carriedOff - drawnStops,
    carriedHalfStops: carried.uncertaintyStops!,
    drawnStops,
  };
}

/** Rounds from end to end: is north, is the gain, is the carried gain inside what is stated of it? */
export async function renderedSection(rounds: number): Promise<Section> {
  const done: RenderedRound[] = [];
  let sunless = 0;
  for (let seed = 1; done.length < rounds; seed++) {
    const round = await kept(import.meta.url, 'rendered', `round ${seed}`, () => renderedRound(seed));
    if (round) done.push(round);
    else if (++sunless > rounds) throw new Error('the sun is found in fewer than half of the rounds');
  }
  const most = Math.floor(rounds / 10);
  const outside = (error: (r: RenderedRound) => number, half: (r: RenderedRound) => number) =>
    done.filter((r) => Math.abs(error(r)) > half(r)).length;
  const row = (what: string, error: (r: RenderedRound) => number, half: (r: RenderedRound) => number, unit: string) => {
    const count = outside(error, half);
    return {
      what: `${what}: rounds outside the 95 % interval; rms error; median half width`,
      bound: `at most ${most} of ${rounds}`,
      measured: `${count}; ${rms(done.map(error)).toFixed(3)} ${unit}; ${quantile(done.map(half), 0.5).toFixed(3)} ${unit}`,
      holds: count <= most,
    };
  };
  const carried = rms(done.map((r) => r.carriedErrorStops));
  const drawn = Math.hypot(rms(done.map((r) => r.drawnStops)), sigmaOf95(0.05));
  return {
    title: 'Rendered rounds from end to end',
    how: `${rounds} rounds of the quay between ${FIRST_HOUR} and ${LAST_HOUR} h UTC, 6 views x 7 JPEGs at 1024 px; the sun moves while they are shot, camera clocks are off by ± 3, 30 or 180 s (95 %, stated), cards lean by up to 20°, rigs lean by ± ${LEAN_DEG}° (95 %; the level is what the build finds, unknown: ± ${UNKNOWN_LEVEL_DEG}°), north as the server measures it: by the time of the frame that the sun's disc was taken from.${sunless > 0 ? ` In ${sunless} more rounds no sun was found.` : ''}`,
    rows: [
      row(
        'north',
        (r) => r.northErrorDeg,
        (r) => r.northHalfDeg,
        '°',
      ),
      row(
        'gain by the card',
        (r) => r.cardErrorStops,
        (r) => r.cardHalfStops,
        'stop',
      ),
      {
        what: 'the same, rms',
        bound: '0.05 stop',
        measured: `${rms(done.map((r) => r.cardErrorStops)).toFixed(4)} stop`,
        holds: rms(done.map((r) => r.cardErrorStops)) <= 0.05,
      },
      row(
        'gain carried to a take at another stop, EI and ND',
        (r) => r.carriedErrorStops,
        (r) => r.carriedHalfStops,
        'stop',
      ),
      {
        what: 'the same, rms over that of the drawn errors',
        bound: 'at most 1.15',
        measured: (carried / drawn).toFixed(2),
        holds: carried / drawn <= 1.15,
      },
    ],
  };
}
