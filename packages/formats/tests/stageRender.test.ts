import { plateCamera } from '@tawny/core';
import { writeLightStage, type LightStage } from '../src';
import { anamorphicStage } from './support/stage';

/**
 * A renderer of its own: it reads the text of a stage and knows nothing of what wrote it. Row vectors, Y up, lights and camera by the words of their schemas.
 */
type Vector = [number, number, number];
const dot = (a: Vector, b: Vector) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

function prim(stage: string, kind: string): string | null {
  const at = stage.search(new RegExp(`def ${kind} "`));
  if (at < 0) return null;
  let depth = 0;
  for (let i = stage.indexOf('{', at); i < stage.length; i++) {
    if (stage[i] === '{') depth++;
    if (stage[i] === '}' && --depth === 0) return stage.slice(at, i + 1);
  }
  throw new Error('a prim that does not end');
}
const number = (text: string, name: string) => Number(new RegExp(`float ${name} = (\\S+)`).exec(text)![1]);
const triple = (text: string, name: string) =>
  new RegExp(`color3f ${name} = \\(([^)]*)\\)`).exec(text)![1].split(',').map(Number) as Vector;
/** Rows of a prim's transform. */
const rowsOf = (text: string) =>
  [...text.slice(text.indexOf('matrix4d xformOp:transform')).matchAll(/\(([^()]+)\)/g)]
    .slice(0, 4)
    .map((m) => m[1].split(',').map(Number));

/** What a dome's texture holds in a direction; x is east, y up, -z north, and the texture's left edge is north. */
type Texture = (azimuthDeg: number, elevationDeg: number) => number;

/** Light on a plane, R of RGB: the dome by a grid of directions, the sun as a light of a given illuminance on a facing plane. */
function irradiance(stage: string, texture: Texture, normal: Vector): number {
  const dome = prim(stage, 'DomeLight')!;
  const scale = number(dome, 'inputs:intensity') * triple(dome, 'inputs:color')[0];
  let sum = 0;
  const [across, down] = [720, 360];
  for (let j = 0; j < down; j++) {
    const elevation = 90 - (180 * (j + 0.5)) / down;
    const size = ((2 * Math.PI) / across) * (Math.PI / down) * Math.cos((elevation * Math.PI) / 180);
    for (let i = 0; i < across; i++) {
      const azimuth = (360 * (i + 0.5)) / across;
      const [a, e] = [(azimuth * Math.PI) / 180, (elevation * Math.PI) / 180];
      const d: Vector = [Math.cos(e) * Math.sin(a), Math.sin(e), -Math.cos(e) * Math.cos(a)];
      sum += Math.max(0, dot(d, normal)) * size * scale * texture(azimuth, elevation);
    }
  }
  const sun = prim(stage, 'DistantLight');
  if (!sun) return sum;
  expect(sun).toContain('bool inputs:normalize = 1');
  // It shines along its own -z: what comes from there falls on planes that face +z.
  const [, , z] = rowsOf(sun);
  const facing = Math.max(0, dot([z[0], z[1], z[2]], normal));
  return sum + number(sun, 'inputs:intensity') * triple(sun, 'inputs:color')[0] * facing;
}

/** A point of the world as shares of the picture's half width and half height. */
function projected(stage: string, point: Vector): [number, number] {
  const camera = prim(stage, 'Camera')!;
  const rows = rowsOf(camera);
  const away = point.map((v, k) => v - rows[3][k]) as Vector;
  const [x, y, z] = [0, 1, 2].map((r) => dot(away, rows[r].slice(0, 3) as Vector));
  const focal = number(camera, 'focalLength');
  return [
    (x / -z) * ((2 * focal) / number(camera, 'horizontalAperture')),
    (y / -z) * ((2 * focal) / number(camera, 'verticalAperture')),
  ];
}

const NORMALS: Vector[] = [
  [0, 1, 0],
  [1, 0, 0],
  [0, 0, -1],
  [0.48, 0.64, -0.6],
];
const from = (azimuth: number, elevation: number): Vector => {
  const [a, e] = [(azimuth * Math.PI) / 180, (elevation * Math.PI) / 180];
  return [Math.cos(e) * Math.sin(a), Math.sin(e), -Math.cos(e) * Math.cos(a)];
};
const bare = (more: Partial<LightStage>): string =>
  writeLightStage({ ...anamorphicStage([0, 1, 0], ''), sun: null, camera: null, ...more });

test('an even dome of luminance L puts pi L on every plane', () => {
  const stage = bare({ domeIntensity: 2.5 });
  for (const n of NORMALS) expect(irradiance(stage, () => 0.4, n) / (Math.PI * 2.5 * 0.4)).toBeCloseTo(1, 2);
});

test.each([
  [0, 20],
  [95, 45],
  [220.2, 19.7],
  [301, 3],
])('the sun at %p, %p puts E cos of the angle on a plane', (azimuth, elevation) => {
  const direction = from(azimuth, elevation);
  const stage = bare({ sun: { direction, illuminance: [1800, 1700, 1500], diameterDeg: 0.53 } });
  for (const n of NORMALS) {
    const truth = 1800 * Math.max(0, dot(direction, n));
    expect(Math.abs(irradiance(stage, () => 0, n) - truth)).toBeLessThan(0.005 * 1800);
    if (truth > 100) expect(irradiance(stage, () => 0, n) / truth).toBeCloseTo(1, 2);
  }
});

test('dome and sun stand in one frame: a bright place in the texture and the sun at its bearing light the same side', () => {
  const [azimuth, elevation] = [220.2, 19.7];
  const patch: Texture = (a, e) => (Math.abs(a - azimuth) < 2 && Math.abs(e - elevation) < 2 ? 100 : 0);
  const dome = bare({});
  const sun = bare({ sun: { direction: from(azimuth, elevation), illuminance: [1, 1, 1], diameterDeg: 0.53 } });
  const facing = from(azimuth, elevation);
  const [most, one] = [irradiance(dome, patch, facing), irradiance(sun, () => 0, facing)];
  for (const n of NORMALS)
    expect(irradiance(dome, patch, n) / most - irradiance(sun, () => 0, n) / one).toBeCloseTo(0, 2);
});

describe('the camera', () => {
  const FORMAT = {
    gateWidthMm: 24,
    gateHeightMm: 20,
    widthPx: 1440,
    heightPx: 1200,
    squeeze: 1,
    circleOfConfusionMm: 0.025,
  };
  const pose = { focusM: null, eastM: 1, northM: 3, heightM: 2, tiltDeg: 0, headingDeg: 90 };
  const lens = (squeeze: number) => ({ squeeze, transmission: 0.8, entrancePupil: [], distortion: null });
  const stageOf = (squeeze: number) =>
    bare({
      camera: { name: 'A', camera: plateCamera({ focalLengthMm: 48, tStop: 4, ...pose }, FORMAT, lens(squeeze)) },
    });

  test('a squeeze of two sees twice as wide, to the last digit, and as high as before', () => {
    // Looking east from (1 east, 2 up, 3 north): 10 m ahead, what lies 48 mm : 24 mm to the side stands at the edge.
    const edge = (squeeze: number, south: number): Vector => [1 + 10, 2, -3 + south * squeeze];
    expect(projected(stageOf(1), edge(1, 2.5))[0]).toBeCloseTo(1, 9);
    expect(projected(stageOf(2), edge(2, 2.5))[0]).toBeCloseTo(1, 9);
    const up: Vector = [11, 2 + (10 * 10) / 48, -3];
    for (const squeeze of [1, 2])
      expect(projected(stageOf(squeeze), up)).toEqual([expect.closeTo(0, 9), expect.closeTo(1, 9)]);
  });

  test('where it stands and looks: north is -z, east is x', () => {
    const [x, y] = projected(stageOf(1), [101, 2, -3]);
    expect([x, y]).toEqual([expect.closeTo(0, 9), expect.closeTo(0, 9)]);
    // South is to the right of somebody who looks east.
    expect(projected(stageOf(1), [101, 2, 2])[0]).toBeGreaterThan(0);
  });
});
