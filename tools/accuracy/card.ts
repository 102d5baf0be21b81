import path from 'node:path';
import {
  anglesFromDirection,
  CLIPPED,
  clippedPixels,
  decodePicture,
  decodeUncertainty,
  directionFromAngles,
  gainFromCard,
  gainFromMetadata,
  conjugate,
  expectedFalloff,
  flatMask,
  flatPixel,
  flatView,
  measureCard,
  viewAround,
  normalize,
  plateCamera,
  quaternionFromAttitude,
  rotate,
  worldToPlate,
  type CardGain,
  type Corners,
  DEG,
  type PlateCamera,
  type Vec3,
} from '@tawny/core';
import { decodeImage, readFrameHead } from '@tawny/formats';
import {
  buildPanorama,
  createScene,
  DEMO_PLACE,
  DEMO_STATION,
  simulatePlate,
  type BuildResult,
  type SetSpec,
  type SimulatedRound,
  type SimulateRoundInput,
} from '@tawny/pipeline';
import { createRandom, type Random } from '@tawny/simset';
import { onDisk, rigRound } from '../onDisk';
import { commonRotation } from './roundTrip';
import { quantile, rms, type Section } from './table';

/** Luminance gain that the two cameras' hidden sensitivities make: -0.11 stop of the plate's, +0.06 stop of the rig's. */
const HIDDEN_STOPS = -0.11 - 0.06;

/** A prime without distortion, as the log states it; somewhere before the card, looking somewhere beside it. */
function cameraBefore(random: Random): PlateCamera {
  const [eastM, northM] = [-0.6 + 1.6 * random.next(), -4.5 + 1.2 * random.next()];
  return plateCamera(
    { focalLengthMm: 32, tStop: 8, focusM: null, eastM, northM, heightM: 1.5, tiltDeg: -3 + 6 * random.next(), headingDeg: 2 + 14 * random.next() },
    { gateWidthMm: 24.89, gateHeightMm: 14, widthPx: 960, heightPx: 540, squeeze: 1, circleOfConfusionMm: 0.025 },
    { squeeze: 1, transmission: 0.82, entrancePupil: [], distortion: null },
  );
} // prettier-ignore

/** Of the card's sides, how far from its middle people mark its corners. */
const MARKED = 0.42;

/** What a simulated round ends in: its panorama, and the card in it and in a plate. */
export interface CardTrial {
  shot: SimulatedRound;
  built: BuildResult;
  /** Clock of the round's own brightest frame, middle of its exposure, as the file says it. */
  sunFrameAt: Date;
  gain: CardGain;
  /** Gain in the green channel against the one that the two cameras really have, stops. */
  errorStops: number;
  disagreementStops: number;
}

/**
 * End to end: round, panorama, north, plate, card marked by its known place, gain against the one that the cameras really have. `round` may
 * change how it is shot.
 */
export async function cardTrial(spec: SetSpec, round: Partial<SimulateRoundInput> = {}): Promise<CardTrial> {
  const shot = await rigRound({ spec, ...round });
  return onDisk(shot, async (files) => {
    const built = await buildPanorama({ files, rig: shot.rig, width: 1024 });
    const { metadata } = await readFrameHead(built.brightestFrame, path.basename(built.brightestFrame));
    const { common } = commonRotation(
      built.attitudes,
      shot.truth.attitudes.map((a) => quaternionFromAttitude(a.actual)),
    );
    const { centre, widthM, heightM, facingDeg, leanDeg } = createScene(spec).landmarks.greyCard;
    // Corners as somebody marks them who sees the card: its own place tells where they lie.
    const up = directionFromAngles(facingDeg + 180, 90 - leanDeg);
    const corners = ([[-1, 1], [1, 1], [1, -1], [-1, -1]] as const).map(([side, high]) => ({
      eastM: centre.eastM - side * MARKED * widthM * Math.cos(facingDeg * DEG) + high * MARKED * heightM * up[0],
      northM: centre.northM + side * MARKED * widthM * Math.sin(facingDeg * DEG) - high * MARKED * heightM * up[2],
      upM: centre.upM + high * MARKED * heightM * up[1],
    })); // prettier-ignore
    const inPanorama = corners.map((p) => {
      const to: Vec3 = [p.eastM - DEMO_STATION.eastM, p.upM - DEMO_STATION.upM, -(p.northM - DEMO_STATION.northM)];
      return anglesFromDirection(rotate(conjugate(common), normalize(to)));
    });
    const view = viewAround(inPanorama, built.panorama.width);
    const camera = cameraBefore(createRandom(spec.seed, 'camera before the card'));
    const plate = await simulatePlate({
      camera,
      spec,
      ei: 800,
      shutterAngleDeg: 180,
      fps: 24,
      ndStops: spec.scene === 'netLoft' ? 0 : 4,
      utcOffsetMinutes: 60,
    });
    const decoded = await decodeImage(plate.bytes, plate.name);
    const image = decodePicture(decoded, { curve: 'linear', range: 'full', primaries: 'rec709' });
    const onPlate = corners.map((p) => worldToPlate(camera, p)!);
    const middle = worldToPlate(camera, centre)!;
    const offAxis = Math.hypot(
      (middle.xPx - camera.centreXPx) / camera.focalXPx,
      (middle.yPx - camera.centreYPx) / camera.focalYPx,
    );
    const gain = gainFromCard(
      measureCard(image, onPlate.map((p) => [p.xPx, p.yPx]) as unknown as Corners, 'plate', {
        clipped: clippedPixels(decoded),
      }),
      measureCard(
        flatView(built.panorama, view),
        inPanorama.map((c) => flatPixel(view, c)) as unknown as Corners,
        'panorama',
        {
          clipped: flatMask(built.mask, built.panorama.width, view).map((v) => Number(v === CLIPPED)),
          uncertainty: Float32Array.from(flatMask(built.uncertainty, built.panorama.width, view), decodeUncertainty),
        },
      ),
      expectedFalloff(Math.atan(offAxis) / DEG),
    );
    const metadataGain = gainFromMetadata(plate.exposure);
    return {
      shot,
      built,
      sunFrameAt: new Date(metadata.takenAtMs! + 500 * (metadata.shutterS ?? 0)),
      gain,
      errorStops: gain.channelStops[1] - metadataGain.gainStops - HIDDEN_STOPS,
      disagreementStops: gain.gainStops - metadataGain.gainStops,
    };
  });
}

/** A card that somebody set up in a hurry leans and turns by up to so much, degrees. */
const CARD_LEAN_DEG = 20;

/** How the card of a round stands. */
export function cardLean(seed: number): { turnDeg: number; leanDeg: number } {
  const random = createRandom(seed, 'how the card stands');
  const within = () => CARD_LEAN_DEG * (2 * random.next() - 1);
  return { turnDeg: within(), leanDeg: within() };
}

/** Lights of the rounds: low sun, high sun, overcast, the loft by its window. */
const LIGHTS = [
  { scene: 'quay', utc: '2026-10-14T15:20:00Z', turbidity: 4 },
  { scene: 'quay', utc: '2026-10-14T12:10:00Z', turbidity: 3 },
  { scene: 'quay', utc: '2026-10-14T13:40:00Z', turbidity: 4, overcast: true },
  { scene: 'netLoft', utc: '2026-10-14T12:30:00Z', turbidity: 3 },
] as const;

/** Cards in plates of their own take: they lean by up to 20 degrees, the plate's lens darkens off its axis. */
export async function cardSection(rounds: number): Promise<Section> {
  const figures: CardTrial[] = [];
  for (let k = 0; k < rounds; k++) {
    const seed = 11 + k;
    figures.push(await cardTrial({ ...LIGHTS[k % LIGHTS.length], place: DEMO_PLACE, seed, card: cardLean(seed) }));
  }
  const errors = figures.map((f) => f.errorStops);
  const outside = figures.filter((f) => Math.abs(f.errorStops) > f.gain.uncertaintyStops).length;
  return {
    title: 'Exposure by the grey card',
    how: `${rounds} rounds and plates of the simulated quay (low sun, high sun, overcast) and loft; the card leans and turns by up to ${CARD_LEAN_DEG}°, the plate's camera stands and looks beside it, its lens darkens as cos^2.4. The two cameras' real sensitivities (hidden from metadata) give the true gain, compared in the green channel, which the plate's white balance leaves alone.`,
    rows: [
      {
        what: 'gain against truth, rms',
        bound: '0.05 stop',
        measured: `${rms(errors).toFixed(4)} stop; worst ${Math.max(...errors.map(Math.abs)).toFixed(4)}`,
        holds: rms(errors) <= 0.05,
      },
      {
        what: 'rounds outside of the stated 95 % interval; its median half width',
        bound: '-',
        measured: `${outside} of ${rounds}; ± ${quantile(
          figures.map((f) => f.gain.uncertaintyStops),
          0.5,
        ).toFixed(3)} stop`,
        holds: null,
      },
    ],
  };
}
