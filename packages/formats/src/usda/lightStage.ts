import {
  toMatrix,
  multiply,
  fromAxisAngle,
  DEG,
  luminance,
  type PlateCamera,
  type WorkingSpace,
  type Quaternion,
  anglesFromDirection,
  type Vec3,
} from '@tawny/core';

export interface UsdSun {
  /** Towards the sun, world frame. */
  direction: Vec3;
  /** Illuminance on a facing plane per channel in stage units. */
  illuminance: readonly [number, number, number];
  diameterDeg: number;
}

export interface UsdCamera {
  /** Name of the prim. */
  name: string;
  /** With a pose; the stage leaves out a camera that has none. */
  camera: PlateCamera;
}

export interface LightStage {
  /** File name of the residual panorama beside the stage. */
  domeTexture: string;
  /** Primaries of texture and colours. */
  space: WorkingSpace;
  domeIntensity: number;
  sun: UsdSun | null;
  camera: UsdCamera | null;
  comment: string;
}

/** Names of USD's colour space schema (OpenUSD 25). */
const COLOUR_SPACE: Record<WorkingSpace, string> = { rec709: 'lin_rec709_scene', acescg: 'lin_ap1_scene' };

const n = (v: number) => Number(v.toPrecision(9)).toString();

/** Row-vector 4 x 4 as USD writes it, from a rotation and a translation in metres. */
function matrix(q: Quaternion, t: Vec3): string {
  const m = toMatrix(q);
  const row = (a: number, b: number, c: number, d: number) => `(${[a, b, c, d].map(n).join(', ')})`;
  return `( ${row(m[0], m[3], m[6], 0)}, ${row(m[1], m[4], m[7], 0)}, ${row(m[2], m[5], m[8], 0)}, ${row(t[0], t[1], t[2], 1)} )`;
}

/** Rotation whose local +Z points at the sun: the light shines along its -Z. */
function sunRotation(direction: Vec3): Quaternion {
  const { azimuthDeg, elevationDeg } = anglesFromDirection(direction);
  return multiply(fromAxisAngle([0, 1, 0], Math.PI - azimuthDeg * DEG), fromAxisAngle([1, 0, 0], -elevationDeg * DEG));
}

function sunPrim(sun: UsdSun, space: WorkingSpace): string {
  const e = sun.illuminance;
  const total = luminance(...e, space);
  const colour = e.map((v) => n(v / total)).join(', ');
  return `
    def DistantLight "Sun"
    {
        float inputs:angle = ${n(sun.diameterDeg)}
        color3f inputs:color = (${colour}) (
            colorSpace = "${COLOUR_SPACE[space]}"
        )
        float inputs:intensity = ${n(total)}
        bool inputs:normalize = 1
        matrix4d xformOp:transform = ${matrix(sunRotation(sun.direction), [0, 0, 0])}
        uniform token[] xformOpOrder = ["xformOp:transform"]
    }
`;
}

/** Apertures are those of the unsqueezed picture, the stop is the f-number, focus is from the entrance pupil where the camera stands. */
function cameraPrim({ name, camera }: UsdCamera): string {
  if (!camera.pose) throw new RangeError(`camera ${name} has no pose`);
  const { rotation, heightM } = camera.pose;
  // Under a dome it matters little where it stands; what it looks at must not be lost.
  const position = camera.pose.position ?? { eastM: 0, upM: heightM, northM: 0 };
  const focus = camera.focusFromPupilM === null ? '' : `\n        float focusDistance = ${n(camera.focusFromPupilM)}`;
  return `
    def Camera "${name}"
    {
        float2 clippingRange = (0.05, 100000)
        float focalLength = ${n(camera.focalLengthMm / 100)}${focus}
        float fStop = ${n(camera.fNumber)}
        float horizontalAperture = ${n((camera.squeeze * camera.gateWidthMm) / 100)}
        float verticalAperture = ${n(camera.gateHeightMm / 100)}
        matrix4d xformOp:transform = ${matrix(rotation, [position.eastM, position.upM, -position.northM])}
        uniform token[] xformOpOrder = ["xformOp:transform"]
    }
`;
}

/** Words between quotes: a quote at their end, or a backslash, would end them elsewhere. */
const plainWords = (text: string) => text.replace(/"/g, "'").replace(/\\/g, '/');

/** A `.usda` stage of CONVENTIONS.md section 6: dome with the residual panorama, the sun, the take's camera. Y up, metres. */
export function writeLightStage(stage: LightStage): string {
  return `#usda 1.0
(
    defaultPrim = "Set"
    doc = """${plainWords(stage.comment)}"""
    metersPerUnit = 1
    upAxis = "Y"
)

def Xform "Set"
{
    def DomeLight "Panorama"
    {
        color3f inputs:color = (1, 1, 1)
        float inputs:intensity = ${n(stage.domeIntensity)}
        asset inputs:texture:file = @./${stage.domeTexture}@ (
            colorSpace = "${COLOUR_SPACE[stage.space]}"
        )
        token inputs:texture:format = "latlong"
    }
${stage.sun ? sunPrim(stage.sun, stage.space) : ''}${stage.camera ? cameraPrim(stage.camera) : ''}}
`;
}
