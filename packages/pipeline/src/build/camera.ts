import {
  decodingTable,
  LIMITS,
  ratiosByCurve,
  responseTables,
  signed,
  solveExposureFactors,
  tablesDifferenceStops,
  type Bracket,
  type Curve,
  type KeptResponse,
  type ResponseSample,
  type ResponseTables,
} from '@tawny/core';
import { mapLimited, type RunControl } from '../progress';
import { runInThread, THREADS } from '../threads/pool';
import type { SourceFrame } from './frames';

/** What the round itself says of its camera. */
export interface CameraFacts {
  /** Real over nominal exposure of every rung of the ladder. */
  exposureFactors: number[];
  /** The response by which codes are light and its departure from the stated curve, stops; null when that curve holds (or nothing could be told). */
  response: { tables: ResponseTables; departureStops: number } | null;
  /** Who tells the response: the frames of the round (or they need not), earlier rounds of the rig, or nobody, and the stated curve is believed. */
  responseFrom: 'round' | 'rig' | 'curve';
  /** What the frames themselves told of it, for the next round of the rig; null where they told too little. */
  taught: KeptResponse | null;
  warnings: string[];
  log: string[];
}

const SAMPLES = 1500;
/** Brackets that are decoded for it: opposite views see light and shade. */
const LOOKED_AT = 3;
/** A response this near the stated curve is the stated curve, stops. */
const SAME_CURVE = 0.15;
/** A response that moved more than this since the rig's earlier rounds is another one: somebody chose another rendering of the camera's pictures. */
const OTHER_CURVE = 0.3;
const SHUTTER_SIGMA = 0.05;
/** Exposures read off the pictures at a glance are worth this much: what neighbours share decides. */
const GLANCE_SIGMA = 1;

const rungOf = (ladder: readonly number[], exposure: number) =>
  ladder.reduce(
    (best, x, k) => (Math.abs(Math.log2(x / exposure)) < Math.abs(Math.log2(ladder[best] / exposure)) ? k : best),
    0,
  );

/** A camera whose files are believed: exposures as tagged, codes by the stated curve. */
export const believed = (ladder: readonly number[]): CameraFacts => ({
  exposureFactors: ladder.map(() => 1),
  response: null,
  responseFrom: 'round',
  taught: null,
  warnings: [],
  log: [],
});

/** Response and exposure ratios from a few brackets of the round. Says when the frames have no single response. */
export async function measureCamera(
  brackets: readonly Bracket<SourceFrame>[],
  ladder: readonly number[],
  curve: Curve,
  exposuresFrom: 'files' | 'pictures',
  earlier: KeptResponse | undefined,
  control: RunControl,
): Promise<CameraFacts> {
  const learned = earlier?.curve === curve ? earlier : undefined;
  const shutterSigma = exposuresFrom === 'files' ? SHUTTER_SIGMA : GLANCE_SIGMA;
  const facts = believed(ladder);
  if (ladder.length < 2) return facts;
  const step = Math.max(1, Math.floor(brackets.length / LOOKED_AT));
  const chosen = brackets.filter((_, i) => i % step === 0).slice(0, LOOKED_AT);
  const looks = await mapLimited(chosen, THREADS, control, (b) =>
    runInThread(
      'sampleView',
      {
        frames: b.frames.map((f) => ({
          path: f.path,
          name: f.name,
          exposure: f.exposure,
          rung: rungOf(ladder, f.exposure),
        })),
        most: SAMPLES,
        width: b.frames[0].width,
        height: b.frames[0].height,
      },
      control,
    ),
  );
  const percent = (factors: readonly number[]) => factors.map((f) => `${signed(100 * (f - 1), 1)} %`).join(', ');
  const ratios = looks.flatMap((l) => l.ratios);
  if (ratios.length > 0) {
    facts.exposureFactors = solveExposureFactors(ladder.length, ratios, shutterSigma);
    facts.log.push(`exposures against their tags, longest first: ${percent(facts.exposureFactors)}`);
    return facts;
  }
  const samples = [0, 1, 2].map((c) => looks.flatMap((l) => l.samples?.[c] ?? [])) as [
    ResponseSample[],
    ResponseSample[],
    ResponseSample[],
  ];
  if (exposuresFrom === 'pictures') {
    // Without exposure times a curve and the spacing of exposures cannot be told apart: what is known of the curve is believed.
    const ratiosBy = learned
      ? responseTables(learned).flatMap((table, c) => ratiosByCurve([samples[c]], ladder, table))
      : ratiosByCurve(samples, ladder, decodingTable(curve, 255));
    facts.exposureFactors = solveExposureFactors(ladder.length, ratiosBy, shutterSigma);
    facts.log.push(
      `exposures against a first glance, by the ${learned ? "response of the rig's earlier rounds" : `${curve} curve`}, longest first: ${percent(facts.exposureFactors)}`,
    );
    return learned ? { ...facts, responseFrom: 'rig', response: byCurve(learned, curve) } : facts;
  }
  const recovered = (options: { learned?: KeptResponse }) =>
    runInThread('response', { samples, ladder, options: { prior: curve, shutterSigma, ...options } }, control);
  let told = await recovered({ learned });
  if (learned && 'response' in told && told.response.covered && told.response.changeStops! > OTHER_CURVE) {
    facts.warnings.push(
      `the camera's response is up to ${told.response.changeStops!.toFixed(1)} stop from what earlier rounds taught of this rig: is another rendering chosen in the camera? It is measured anew`,
    );
    told = await recovered({});
  }
  if ('reason' in told || !told.response.covered) {
    facts.log.push(
      'reason' in told
        ? `response not recovered: ${told.reason}`
        : 'too little of the codes and exposures is used to measure the camera',
    );
    if (learned) {
      facts.log.push("response: that of the rig's earlier rounds; exposures by their tags");
      return { ...facts, responseFrom: 'rig', response: byCurve(learned, curve) };
    }
    facts.log.push('its curve and tags are believed');
    return { ...facts, responseFrom: 'curve' };
  }
  const { response } = told;
  facts.exposureFactors = response.exposureFactors;
  facts.log.push(`exposures against their tags, longest first: ${percent(response.exposureFactors)}`);
  facts.log.push(
    `response: departs from the ${curve} curve by up to ${response.departureStops.toFixed(3)} stop, unexplained ${response.residualStops.toFixed(3)} stop (${response.residualRatio.toFixed(1)} × noise), ${response.samples} places`,
  );
  if (response.residualRatio > LIMITS.unexplained.lost) {
    facts.warnings.push(
      'the frames have no single response: the same light has other codes in other places, as in locally tone-mapped pictures; good for reflections, not measured',
    );
    return { ...facts, exposureFactors: believed(ladder).exposureFactors };
  }
  const usual = response.departureStops > LIMITS.curve.good ? LIMITS.unexplainedOffCurve : LIMITS.unexplained;
  if (response.residualRatio > usual.good)
    facts.warnings.push(
      `the frames have no single response, as it seems: the best one departs by ${response.departureStops.toFixed(1)} stops from ${curve} and leaves ${response.residualRatio.toFixed(1)} times their noise unexplained, as in pictures whose shadows were lifted place by place; raw frames are free of it`,
    );
  if (response.departureStops > SAME_CURVE) facts.response = response;
  return { ...facts, taught: response.kept };
}

/** A response that is known, and how far it departs from the stated curve. */
function byCurve(kept: KeptResponse, curve: Curve): CameraFacts['response'] {
  const [tables, stated] = [responseTables(kept), decodingTable(curve, 255)];
  return { tables, departureStops: tablesDifferenceStops(tables, [stated, stated, stated]) };
}

/** Index of a frame's rung in the ladder. */
export const ladderRung = rungOf;
