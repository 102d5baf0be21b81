import {
  clippedPixels,
  decodePicture,
  DEG,
  expectedFalloff,
  gainFromBall,
  lightOnThings,
  NOMINAL_LUMINANCE_PER_UNIT,
  plateCamera,
  rotatePanorama,
  worldToPlate,
  yawQuaternion,
  type BallGain,
} from '@tawny/core';
import { decodeImage } from '@tawny/formats';
import { DEMO_PLACE, DEMO_STATION, simulatePlate, truthPanorama, type SetSpec } from '@tawny/pipeline';
import { BALL_RADIUS_M, CHROME_REFLECTANCE, createRandom, GREY_BALL_REFLECTANCE } from '@tawny/simset';
import { quantile, rms, type Section } from './table';

/** What the simulated plate camera has less than its engravings say, stops. */
const HIDDEN_STOPS = -0.11;
/** Of each ball in each set: its middle, metres. */
const STANDS = {
  quay: { grey: { eastM: 0.25, northM: 2.2 }, chrome: { eastM: -0.2, northM: 2.2 } },
  netLoft: { grey: { eastM: -0.05, northM: 1.5 }, chrome: { eastM: -0.5, northM: 1.5 } },
};
const UP_M = 1.35;

interface Trial {
  kind: 'grey' | 'chrome';
  errorStops: number;
  /** Against the light of another panorama: the same place under another sky. */
  otherwise: BallGain;
  gain: BallGain;
}

const PROP = { grey: 'greyBall', chrome: 'chromeBall' } as const;
const REFLECTANCE = { grey: GREY_BALL_REFLECTANCE, chrome: CHROME_REFLECTANCE };

/** One ball before one camera: its gain by the set's own light, seen from some metres beside the ball, against the one that the camera really has. */
async function ballTrial(spec: SetSpec, other: SetSpec, kind: Trial['kind'], seed: number): Promise<Trial> {
  const random = createRandom(seed, 'balls', spec.scene, kind, spec.utc);
  const at = STANDS[spec.scene][kind];
  const loft = spec.scene === 'netLoft';
  const heading = (loft ? 180 : 0) - 40 + 80 * random.next();
  const apart = (loft ? 1.1 : 2) + (loft ? 0.6 : 1.2) * random.next();
  const exact = { eastM: at.eastM - apart * Math.sin(heading * DEG), northM: at.northM - apart * Math.cos(heading * DEG) }; // prettier-ignore
  const tiltDeg = -4 + 6 * random.next();
  const camera = plateCamera(
    { focalLengthMm: 35, tStop: 8, focusM: null, ...exact, heightM: 1.4, tiltDeg, headingDeg: heading },
    { gateWidthMm: 24.89, gateHeightMm: 14, widthPx: 960, heightPx: 540, squeeze: 1, circleOfConfusionMm: 0.025 },
    { squeeze: 1, transmission: 0.82, entrancePupil: [], distortion: null },
  );
  const plate = await simulatePlate({
    camera,
    spec: { ...spec, props: [PROP[kind]] },
    ei: 800,
    shutterAngleDeg: 180,
    fps: 24,
    ndStops: loft ? 0 : spec.overcast ? 3 : 4,
    utcOffsetMinutes: 60,
  });
  const decoded = await decodeImage(plate.bytes, plate.name);
  const image = decodePicture(decoded, { curve: 'linear', range: 'full', primaries: 'rec709' });
  const middle = worldToPlate(camera, { ...at, upM: UP_M })!;
  const radius = (camera.focalXPx * BALL_RADIUS_M) / Math.hypot(apart, 1.4 - UP_M);
  // As people draw its box: some pixels off.
  const outline = {
    centreX: middle.xPx + 1.5 * random.normal(),
    centreY: middle.yPx + 1.5 * random.normal(),
    radiusPx: radius * (1 + 0.02 * random.normal()),
  };
  const falloff = expectedFalloff(
    Math.atan(Math.hypot(middle.xPx - camera.centreXPx, middle.yPx - camera.centreYPx) / camera.focalXPx) / DEG,
  );
  const turn = yawQuaternion(360 * random.next());
  const measured = async (of: SetSpec) =>
    gainFromBall(
      image,
      outline,
      { ...camera, tiltDeg },
      kind,
      { value: REFLECTANCE[kind], uncertaintyStops: 0.1 },
      lightOnThings(rotatePanorama(await truthPanorama(of, DEMO_STATION, 1024), turn)),
      spec.scene === 'netLoft' ? 'near' : 'open',
      clippedPixels(decoded),
    );
  const gain = await measured(spec);
  const truth = Math.log2(plate.exposure / NOMINAL_LUMINANCE_PER_UNIT) + HIDDEN_STOPS;
  return {
    kind,
    gain,
    errorStops: gain.gainStops - falloff.stops - truth,
    otherwise: await measured(other),
  };
}

/** Sets and times, each with another light of the same place. */
function places(): [SetSpec, SetSpec][] {
  const base = { seed: 41, place: DEMO_PLACE, turbidity: 3 } as const;
  const quay = (utc: string, overcast = false): SetSpec => ({ ...base, scene: 'quay', utc, overcast });
  const loft = (utc: string): SetSpec => ({ ...base, scene: 'netLoft', utc });
  const [morning, noon, late] = ['2026-10-14T09:10:00Z', '2026-10-14T12:00:00Z', '2026-10-14T15:30:00Z'];
  return [
    [quay(noon), quay(noon, true)],
    [quay(late), quay(late, true)],
    [quay(morning), quay(late)],
    [quay(noon, true), quay(noon)],
    [loft(noon), quay(noon)],
    [loft(late), quay(late)],
  ];
}

/** `npm run accuracy -- balls` */
export async function ballsSection(each: number): Promise<Section> {
  const trials: Trial[] = [];
  for (const [spec, other] of places())
    for (const kind of ['grey', 'chrome'] as const)
      for (let k = 0; k < each; k++) trials.push(await ballTrial(spec, other, kind, 1 + k));
  const rows = (['grey', 'chrome'] as const).flatMap((kind) => {
    const own = trials.filter((t) => t.kind === kind);
    const errors = own.map((t) => t.errorStops);
    const outside = own.filter((t) => Math.abs(t.errorStops) > t.gain.uncertaintyStops).length;
    const widths = own.map((t) => t.gain.uncertaintyStops);
    return [
      {
        what: `gain by a ${kind} ball in the plate alone, ${own.length} plates: rms, worst, outside of its 95 % interval (median width)`,
        bound: 'at most 1 in 10 outside',
        measured: `${rms(errors).toFixed(3)} stop, ${Math.max(...errors.map(Math.abs)).toFixed(2)} stop, ${outside} (± ${quantile(widths, 0.5).toFixed(2)} stop)`,
        holds: outside <= own.length / 10,
      },
      {
        what: `${kind} ball called lit otherwise: under its own light, under another sky or place`,
        bound: '0, -',
        measured: `${own.filter((t) => t.gain.litOtherwise).length}, ${own.filter((t) => t.otherwise.litOtherwise).length} of ${own.length}`,
        holds: own.every((t) => !t.gain.litOtherwise),
      },
    ];
  });
  return {
    title: 'Balls that only the plate shows',
    how: 'Grey and chrome ball of the simulated sets before a 35 mm lens, a few metres from the panorama; outline some pixels off; heading unknown. The panorama is the true one, turned by any azimuth.',
    rows,
  };
}
