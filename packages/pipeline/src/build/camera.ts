import {
  decodingTable,
  LIMITS,
  ratiosByCurve,
  signed,
  solveExposureFactors,
  type Bracket,
  type Curve,
  type RecoveredResponse,
  type ResponseSample,
} from '@tawny/core';
import { mapLimited, type RunControl } from '../progress';
import { runInThread, THREADS } from '../threads/pool';
import type { SourceFrame } from './frames';

/** What the round itself says of its camera. */
export interface CameraFacts {
  /** Real over nominal exposure of every rung of the ladder. */
  exposureFactors: number[];
  /** Recovered response; null when the stated curve holds (or nothing could be told). */
  response: RecoveredResponse | null;
  /** The frames of the round tell the response, or need not; false where the stated curve had to be believed. */
  responseTold: boolean;
  warnings: string[];
  log: string[];
}

const SAMPLES = 1500;
/** Brackets that are decoded for it: opposite views see light and shade. */
const LOOKED_AT = 3;
/** A response this near the stated curve is the stated curve, stops. */
const SAME_CURVE = 0.15;
const SHUTTER_SIGMA = 0.05;
/** Exposures read off the pictures at a glance are worth this much: what neighbours share decides. */
const GLANCE_SIGMA = 1;

const rungOf = (ladder: readonly number[], exposure: number) =>
  ladder.reduce(
    (best, x, k) => (Math.abs(Math.log2(x / exposure)) < Math.abs(Math.log2(ladder[best] / exposure)) ? k : best),
    0,
  );

/** Response and exposure ratios from a few brackets of the round. Says when the frames have no single response. */
export async function measureCamera(
  brackets: readonly Bracket<SourceFrame>[],
  ladder: readonly number[],
  curve: Curve,
  exposuresFrom: 'files' | 'pictures',
  control: RunControl,
): Promise<CameraFacts> {
  const shutterSigma = exposuresFrom === 'files' ? SHUTTER_SIGMA : GLANCE_SIGMA;
  const unit = ladder.map(() => 1);
  const facts: CameraFacts = { exposureFactors: unit, response: null, responseTold: true, warnings: [], log: [] };
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
    // Without exposure times a curve and the spacing of exposures cannot be told apart: the stated curve is believed.
    facts.exposureFactors = solveExposureFactors(
      ladder.length,
      ratiosByCurve(samples, ladder, decodingTable(curve, 255)),
      shutterSigma,
    );
    facts.log.push(
      `exposures against a first glance, by the ${curve} curve, longest first: ${percent(facts.exposureFactors)}`,
    );
    return facts;
  }
  const told = await runInThread('response', { samples, ladder, options: { prior: curve, shutterSigma } }, control);
  if ('reason' in told) {
    facts.log.push(`response not recovered: ${told.reason}`);
    return { ...facts, responseTold: false };
  }
  const { response } = told;
  if (!response.covered) {
    facts.log.push(
      'too little of the codes and exposures is used to measure the camera: its curve and tags are believed',
    );
    return { ...facts, responseTold: false };
  }
  facts.exposureFactors = response.exposureFactors;
  facts.log.push(`exposures against their tags, longest first: ${percent(response.exposureFactors)}`);
  facts.log.push(
    `response: departs from the ${curve} curve by up to ${response.departureStops.toFixed(3)} stop, unexplained ${response.residualStops.toFixed(3)} stop (${response.residualRatio.toFixed(1)} × noise), ${response.samples} places`,
  );
  if (response.residualRatio > LIMITS.unexplained.lost) {
    facts.warnings.push(
      'the frames have no single response: the same light has other codes in other places, as in locally tone-mapped pictures; good for reflections, not measured',
    );
    return { ...facts, exposureFactors: unit };
  }
  const usual = response.departureStops > LIMITS.curve.good ? LIMITS.unexplainedOffCurve : LIMITS.unexplained;
  if (response.residualRatio > usual.good)
    facts.warnings.push(
      `the frames have no single response, as it seems: the best one departs by ${response.departureStops.toFixed(1)} stops from ${curve} and leaves ${response.residualRatio.toFixed(1)} times their noise unexplained, as in pictures whose shadows were lifted place by place; raw frames are free of it`,
    );
  if (response.departureStops > SAME_CURVE) facts.response = response;
  return facts;
}

/** Index of a frame's rung in the ladder. */
export const ladderRung = rungOf;
