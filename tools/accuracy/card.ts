import path from 'node:path';
import {
  anglesFromDirection,
  clippedPixels,
  decodePicture,
  gainFromCard,
  gainFromMetadata,
  conjugate,
  expectedFalloff,
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
import type { Section } from './table';

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
    const { centre, widthM, heightM, facingDeg } = createScene(spec).landmarks.greyCard;
    // Corners as somebody marks them who sees the card: its own place tells where they lie.
    const corners = ([[-1, 1], [1, 1], [1, -1], [-1, -1]] as const).map(([side, up]) => ({
      eastM: centre.eastM - side * MARKED * widthM * Math.cos(facingDeg * DEG),
      northM: centre.northM + side * MARKED * widthM * Math.sin(facingDeg * DEG),
      upM: centre.upM + up * MARKED * heightM,
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
      ndStops: 4,
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

const DEMO_LIGHT = { scene: 'quay', place: DEMO_PLACE, utc: '2026-10-14T15:20:00Z', turbidity: 4 } as const;

export async function cardSection(): Promise<Section> {
  const figures: CardTrial[] = [];
  for (const seed of [11, 12, 13]) figures.push(await cardTrial({ ...DEMO_LIGHT, seed }));
  const worst = Math.max(...figures.map((f) => Math.abs(f.errorStops)));
  return {
    title: 'Exposure by the grey card',
    how: "Round and plate of the simulated quay; the two cameras' real sensitivities (hidden from metadata) give the true gain, compared in the green channel, which the plate's white balance leaves alone.",
    rows: [
      {
        what: 'gain against truth',
        bound: '0.05 stop',
        measured: `${figures.map((f) => f.errorStops.toFixed(4)).join(', ')} stop`,
        holds: worst <= 0.05,
      },
      {
        what: 'its stated 95 % interval',
        bound: '-',
        measured: `${figures.map((f) => `±${f.gain.uncertaintyStops.toFixed(3)}`).join(', ')} stop`,
        holds: null,
      },
      {
        what: 'card against metadata (truth: -0.17 stop, and the white balance)',
        bound: '-',
        measured: `${figures.map((f) => f.disagreementStops.toFixed(3)).join(', ')} stop`,
        holds: null,
      },
    ],
  };
}
