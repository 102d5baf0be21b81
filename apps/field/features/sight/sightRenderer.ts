import type { ColourMatrix, Quaternion, WorkingSpace } from '@tawny/core';
import { afterMatrix, toWorkingSpace } from '@tawny/core/colour/convert';
import { WORKING_SPACES } from '@tawny/core/colour/primaries';
import { conjugate, multiply, toMatrix } from '@tawny/core/orient/quaternion';
import { buildProgram, drawQuad } from '../../ui/panorama/glProgram';
import type { FloatPicture } from '../../ui/panorama/floatPicture';
import type { SightView } from './sightMath';

const FRAGMENT = `#version 300 es
precision highp float;
uniform sampler2D panorama;
uniform sampler2D plate;
uniform bool hasPlate;
uniform float plateGain; // display value of a plate value of 1; 0: the plate is a display picture
uniform mat3 toPanorama;  // camera to the panorama's own axes
uniform vec2 size;        // plate, pixels
uniform vec2 focal;
uniform vec2 centre;
uniform float radial[3];  // k1 k2 k3, ideal to distorted
uniform vec2 tangential;  // p1 p2
uniform float gain;
uniform mat3 toDisplay;
uniform int look;         // 0 opacity, 1 wipe, 2 difference, 3 edges
uniform float share;
in vec2 at;
out vec4 colour;
vec3 encode(vec3 v) {
  v = clamp(v, 0.0, 1.0);
  return mix(v * 12.92, 1.055 * pow(v, vec3(1.0 / 2.4)) - 0.055, step(vec3(0.0031308), v));
}
vec3 decode(vec3 v) {
  return mix(v / 12.92, pow((v + 0.055) / 1.055, vec3(2.4)), step(vec3(0.04045), v));
}
vec2 ideal(vec2 seen) {
  vec2 u = seen;
  for (int k = 0; k < 8; k++) {
    float r2 = dot(u, u);
    float bend = 1.0 + r2 * (radial[0] + r2 * (radial[1] + r2 * radial[2]));
    vec2 slide = vec2(
      2.0 * tangential.x * u.x * u.y + tangential.y * (r2 + 2.0 * u.x * u.x),
      tangential.x * (r2 + 2.0 * u.y * u.y) + 2.0 * tangential.y * u.x * u.y);
    u = (seen - slide) / bend;
  }
  return u;
}
void main() {
  vec2 pixel = vec2(0.5 + 0.5 * at.x, 0.5 - 0.5 * at.y);
  vec2 p = ideal((pixel * size - centre) / focal);
  vec3 d = toPanorama * normalize(vec3(p.x, -p.y, -1.0));
  vec2 uv = vec2(atan(d.x, -d.z) / 6.283185307, 0.5 - asin(clamp(d.y, -1.0, 1.0)) / 3.141592654);
  vec3 light = toDisplay * textureLod(panorama, uv, 0.0).rgb * gain;
  // Before any branch: neighbours are compared.
  float edge = clamp(fwidth(log2(max(1e-4, dot(light, vec3(0.2126, 0.7152, 0.0722))))) * 1.2, 0.0, 1.0);
  if (!hasPlate) { colour = vec4(encode(light), 1.0); return; }
  vec3 code = texture(plate, pixel).rgb;
  vec3 seen = plateGain > 0.0 ? code * plateGain : decode(code);
  vec3 shown;
  if (look == 1) shown = encode(pixel.x < share ? light : seen);
  else if (look == 2) shown = encode(2.0 * abs(light - seen));
  else if (look == 3) shown = mix(vec3(encode(vec3(dot(seen, vec3(0.2126, 0.7152, 0.0722)))) * 0.8), vec3(1.0), edge);
  else shown = encode(mix(seen, light, share));
  colour = vec4(shown, 1.0);
}`;

const UNIFORMS = [
  'panorama', 'plate', 'hasPlate', 'plateGain', 'toPanorama', 'size', 'focal', 'centre', 'radial', 'tangential', 'gain', 'toDisplay',
  'look', 'share',
] as const; // prettier-ignore

/** How plate and panorama are laid over each other. */
export type SightLook = 'opacity' | 'wipe' | 'difference' | 'edges';
const LOOK_CODES: Record<SightLook, number> = { opacity: 0, wipe: 1, difference: 2, edges: 3 };

export interface SightState {
  view: SightView;
  /** Panorama to the world. */
  turn: Quaternion;
  /** Colours of the panorama onto the plate's, in its working space; null where none were matched. */
  colours: ColourMatrix | null;
  /** Display value of a panorama value of 1, and of a plate value of 1. */
  gain: number;
  plateGain: number;
  look: SightLook;
  /** Of the panorama: its opacity, or how far the wipe uncovers it. */
  share: number;
}

/** Plate and panorama through the plate's lens with WebGL 2: both are uploaded once, everything else is uniforms. */
export class SightRenderer {
  private readonly gl: WebGL2RenderingContext;
  private readonly uniforms: Record<(typeof UNIFORMS)[number], WebGLUniformLocation | null>;
  private readonly toRec709: ColourMatrix;
  private panorama: { texture: WebGLTexture; scale: number } | null = null;
  private plate: { texture: WebGLTexture; scale: number | null } | null = null;

  /** @throws Error when the browser has no WebGL 2 */
  constructor(
    private readonly canvas: HTMLCanvasElement,
    space: WorkingSpace,
  ) {
    const { gl, program, uniforms } = buildProgram(canvas, FRAGMENT, UNIFORMS);
    this.gl = gl;
    this.uniforms = uniforms;
    gl.useProgram(program);
    this.toRec709 = toWorkingSpace(WORKING_SPACES[space].chromaticities, 'rec709');
    gl.uniform1i(uniforms.panorama, 0);
    gl.uniform1i(uniforms.plate, 1);
  }

  loadPanorama(picture: FloatPicture): void {
    const { gl } = this;
    const texture = this.texture(0);
    this.upload(picture);
    this.smooth(gl.REPEAT);
    this.panorama = { texture, scale: picture.scale };
  }

  /** The plate's light, or a display picture of a plate whose codes nobody explained; null takes it away. */
  loadPlate(picture: FloatPicture | ImageBitmap | null): void {
    const { gl } = this;
    if (this.plate) gl.deleteTexture(this.plate.texture);
    this.plate = null;
    if (!picture) return;
    const texture = this.texture(1);
    if ('halves' in picture) this.upload(picture);
    else {
      gl.pixelStorei(gl.UNPACK_ALIGNMENT, 4);
      gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, gl.RGBA, gl.UNSIGNED_BYTE, picture);
    }
    this.smooth(gl.CLAMP_TO_EDGE);
    this.plate = { texture, scale: 'halves' in picture ? picture.scale : null };
  }

  draw({ view, turn, colours, gain, plateGain, look, share }: SightState): void {
    const { gl, canvas, uniforms: u, panorama } = this;
    if (!panorama) return;
    gl.viewport(0, 0, canvas.width, canvas.height);
    const { optics } = view;
    const [k1, k2, p1, p2, k3] = optics.distortion ?? [0, 0, 0, 0, 0];
    gl.uniform1i(u.hasPlate, this.plate ? 1 : 0);
    gl.uniform1f(u.plateGain, this.plate?.scale ? plateGain / this.plate.scale : 0);
    gl.uniformMatrix3fv(u.toPanorama, true, toMatrix(multiply(conjugate(turn), view.attitude)));
    gl.uniform2f(u.size, view.widthPx, view.heightPx);
    gl.uniform2f(u.focal, optics.focalXPx, optics.focalYPx);
    gl.uniform2f(u.centre, optics.centreXPx, optics.centreYPx);
    gl.uniform1fv(u.radial, [k1, k2, k3]);
    gl.uniform2f(u.tangential, p1, p2);
    // The shader wants columns, our matrices are rows: transposed on the way.
    gl.uniformMatrix3fv(u.toDisplay, true, colours ? afterMatrix(this.toRec709, colours) : this.toRec709);
    gl.uniform1f(u.gain, gain / panorama.scale);
    gl.uniform1i(u.look, LOOK_CODES[look]);
    gl.uniform1f(u.share, share);
    drawQuad(gl);
  }

  dispose(): void {
    this.gl.getExtension('WEBGL_lose_context')?.loseContext();
  }

  private texture(unit: number): WebGLTexture {
    const { gl } = this;
    const texture = gl.createTexture();
    gl.activeTexture(gl.TEXTURE0 + unit);
    gl.bindTexture(gl.TEXTURE_2D, texture);
    return texture;
  }

  private upload({ width, height, halves }: FloatPicture): void {
    const { gl } = this;
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 2);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGB16F, width, height, 0, gl.RGB, gl.HALF_FLOAT, halves);
  }

  private smooth(sideways: number): void {
    const { gl } = this;
    for (const filter of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER])
      gl.texParameteri(gl.TEXTURE_2D, filter, gl.LINEAR);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, sideways);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
  }
}
