import {
  createImage,
  DEG,
  detectSun,
  expectedHeight,
  fromRotationVector,
  multiply,
  conjugate,
  noSources,
  RELATIVE_REC709,
  rotate,
  sigmaOf95,
  solveOrientation,
  toRotationVector,
  yawQuaternion,
  type Quaternion,
  type SolvedOrientation,
} from '@tawny/core';
import { createScene, DEMO_PLACE, DEMO_STATION, discAt } from '@tawny/pipeline';
import { addSunDisc, createRandom, latlongRays, renderRows, toWorld, type RayMap } from '@tawny/simset';

/** A turn that was solved from a picture, about the vertical: its error, and what was stated of it (95 %). */
export interface RenderedTurn {
  errorDeg: number;
  halfDeg: number;
}

export const againstTruth = (solved: SolvedOrientation, truth: Quaternion): RenderedTurn => ({
  errorDeg: toRotationVector(multiply(solved.turn, conjugate(truth)))[1] / DEG,
  halfDeg: solved.uncertaintyDeg,
});

const WIDTH = 1024;
const LEVEL_DEG = 0.5;
const CLOCK_S = 30;
/** From a low sun in the morning to one in the evening. */
const [FIRST, LAST] = [Date.UTC(2026, 9, 14, 7, 30), Date.UTC(2026, 9, 14, 15, 50)];

/** The quay under a clear sky, photographed by a rig that leans and a clock that is off, turned by the sun that is found in the picture; times at which it stands behind a house are left out, those at which it is not found are counted. */
export function sunTurns(sets: number): { turns: RenderedTurn[]; missed: number } {
  const turns: RenderedTurn[] = [];
  let missed = 0;
  for (let k = 0; turns.length < sets && missed < sets; k++) {
    const random = createRandom(k + 1, 'rendered turn');
    const utc = new Date(FIRST + (LAST - FIRST) * random.next());
    const scene = createScene({
      scene: 'quay',
      seed: 7,
      place: DEMO_PLACE,
      utc: utc.toISOString(),
      turbidity: 2 + 3 * random.next(),
    });
    const off = (half: number) => sigmaOf95(half) * random.normal();
    const lean = fromRotationVector([off(LEVEL_DEG) * DEG, 0, off(LEVEL_DEG) * DEG]);
    const turn = multiply(yawQuaternion(360 * random.next()), lean);
    const own = latlongRays(WIDTH, WIDTH / 2);
    const ray: RayMap = (x, y, out) => {
      own(x, y, out);
      out.set(rotate(turn, [out[0], out[1], out[2]]));
    };
    const image = createImage(WIDTH, WIDTH / 2, RELATIVE_REC709);
    renderRows({ scene, origin: toWorld(DEMO_STATION), width: WIDTH, height: WIDTH / 2, ray, pixelAngle: (2 * Math.PI) / WIDTH }, 0, WIDTH / 2, image.data); // prettier-ignore
    const disc = discAt(scene, DEMO_STATION);
    // Behind a house of the quay, or partly so.
    if (disc.radiance[1] < 0.9 * scene.sky.sunRadiance[1]) continue;
    addSunDisc(image, { ...disc, direction: rotate(conjugate(turn), disc.direction) });
    const stated = new Date(utc.getTime() + 1000 * off(CLOCK_S));
    // Place and time are known: they are asked, as a build asks them.
    const expected = expectedHeight({ place: DEMO_PLACE, utc: stated, levelDeg: LEVEL_DEG, clockS: CLOCK_S });
    const found = detectSun(image, { clipped: false, expected });
    if (!found) {
      process.stderr.write(`    the sun of ${utc.toISOString()} is not found\n`);
      missed++;
      continue;
    }
    const sun = { ...found, place: DEMO_PLACE, utc: stated, clockS: CLOCK_S };
    turns.push(
      againstTruth(solveOrientation({ ...noSources(WIDTH), level: { uncertaintyDeg: LEVEL_DEG }, sun }), turn),
    );
  }
  return { turns, missed };
}
