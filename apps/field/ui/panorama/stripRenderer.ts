import type { WorkingSpace } from '@tawny/core';
import { toWorkingSpace } from '@tawny/core/colour/convert';
import { WORKING_SPACES } from '@tawny/core/colour/primaries';
import type { FloatPicture } from './floatPicture';
import { SCALE_GLSL } from './falseColour';
import { buildProgram, drawQuad } from './glProgram';
import type { StripView } from './stripView';

const FRAGMENT = `#version 300 es
precision highp float;
uniform sampler2D picture;
uniform sampler2D clipped;
uniform vec2 centre;   // azimuth in the picture's own frame, elevation; degrees
uniform vec2 halfSpan; // strip: degrees from the middle to the right and upper edge; flat: the same on the plane at distance 1
uniform bool flatLook;
uniform int colours; // 0 picture, 1 stops, 2 what moved
uniform vec4 window;   // left, top, width, height of the picture in shares of the panorama
uniform float gain;
uniform vec3 weights;   // luminance of the picture's working space
uniform mat3 toDisplay; // working space to linear Rec. 709
in vec2 at;
out vec4 colour;
${SCALE_GLSL}
vec3 encode(vec3 v) {
  v = clamp(v, 0.0, 1.0);
  return mix(v * 12.92, 1.055 * pow(v, vec3(1.0 / 2.4)) - 0.055, step(vec3(0.0031308), v));
}
void main() {
  float az = centre.x + at.x * halfSpan.x;
  float el = centre.y + at.y * halfSpan.y;
  if (flatLook) {
    float e = radians(centre.y);
    vec2 p = at * halfSpan;
    float up = sin(e) + p.y * cos(e);
    float ahead = cos(e) - p.y * sin(e);
    az = centre.x + degrees(atan(p.x, ahead));
    el = degrees(atan(up, length(vec2(p.x, ahead))));
  }
  vec2 whole = vec2(fract(az / 360.0), (90.0 - el) / 180.0);
  vec2 uv = (whole - window.xy) / window.zw;
  if (window.z < 1.0 && (any(lessThan(uv, vec2(0.0))) || any(greaterThan(uv, vec2(1.0))))) discard;
  vec3 v = textureLod(picture, window.z < 1.0 ? uv : vec2(az / 360.0, whole.y), 0.0).rgb * gain;
  vec3 shown = encode(toDisplay * v);
  float hatch = mod(gl_FragCoord.x + gl_FragCoord.y, 9.0);
  float marked = textureLod(clipped, whole, 0.0).r * 255.0;
  if (colours == 1) {
    shown = scaleColour(log2(max(1e-9, dot(v, weights)) / 0.18));
    if (marked > 0.5 && marked < 1.5 && hatch < 3.0) shown = vec3(0.0);
  } else if (colours == 2) {
    // A quiet grey picture; black and white squares where one frame stands alone.
    shown = vec3(0.12 + 0.7 * dot(shown, vec3(0.2126, 0.7152, 0.0722)));
    vec2 square = floor(mod(gl_FragCoord.xy, 8.0) / 4.0);
    if (marked > 2.5) shown = vec3(square.x == square.y ? 1.0 : 0.0);
  } else if (min(v.r, min(v.g, v.b)) > 1.0 && hatch < 1.2) {
    // Where the display, not the picture, runs out: fine hatching.
    shown = vec3(0.72);
  }
  colour = vec4(shown, 1.0);
}`;

const UNIFORMS = [
  'weights',
  'toDisplay',
  'centre',
  'halfSpan',
  'flatLook',
  'colours',
  'window',
  'gain',
  'picture',
  'clipped',
] as const;

/** The picture itself, stops from mid grey, or what moved within brackets. */
export type StripColours = 'picture' | 'stops' | 'moved';
const COLOUR_CODES: Record<StripColours, number> = { picture: 0, stops: 1, moved: 2 };

export interface Tile {
  column: number;
  row: number;
}

interface Layer {
  texture: WebGLTexture;
  scale: number;
  /** Left, top, width, height in shares of the panorama. */
  window: [number, number, number, number];
}

/** Draws the strip with WebGL 2: the float picture is uploaded once, tiles of the full panorama over it as they come; exposure and turn are uniforms. */
export class StripRenderer {
  private readonly gl: WebGL2RenderingContext;
  private readonly program: WebGLProgram;
  private readonly uniforms: Record<(typeof UNIFORMS)[number], WebGLUniformLocation | null>;
  private readonly mask: WebGLTexture;
  private whole: Layer | null = null;
  private readonly tiles = new Map<string, Layer>();

  /** @throws Error when the browser has no WebGL 2 */
  constructor(
    private readonly canvas: HTMLCanvasElement,
    space: WorkingSpace,
  ) {
    const { gl, program, uniforms } = buildProgram(canvas, FRAGMENT, UNIFORMS);
    this.gl = gl;
    this.program = program;
    this.uniforms = uniforms;
    gl.useProgram(program);
    gl.uniform3fv(this.uniforms.weights, WORKING_SPACES[space].luminance);
    // The shader wants columns, our matrices are rows: transposed on the way.
    gl.uniformMatrix3fv(this.uniforms.toDisplay, true, toWorkingSpace(WORKING_SPACES[space].chromaticities, 'rec709'));
    // Nothing clipped until a mask comes.
    this.mask = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, this.mask);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R8, 1, 1, 0, gl.RED, gl.UNSIGNED_BYTE, new Uint8Array([0]));
    this.wrap(gl.NEAREST, gl.REPEAT);
  }

  load(picture: FloatPicture): void {
    this.whole = { texture: this.upload(picture, this.gl.REPEAT), scale: picture.scale, window: [0, 0, 1, 1] };
  }

  loadTile({ column, row }: Tile, columns: number, rows: number, picture: FloatPicture): void {
    this.tiles.set(`${column},${row}`, {
      texture: this.upload(picture, this.gl.CLAMP_TO_EDGE),
      scale: picture.scale,
      window: [column / columns, row / rows, 1 / columns, 1 / rows],
    });
  }

  hasTile({ column, row }: Tile): boolean {
    return this.tiles.has(`${column},${row}`);
  }

  /** The builder's mask: 1 where light is cut off, 3 where one frame stands alone. */
  loadMask(picture: ImageBitmap): void {
    const { gl } = this;
    gl.bindTexture(gl.TEXTURE_2D, this.mask);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, gl.RGBA, gl.UNSIGNED_BYTE, picture);
    this.wrap(gl.NEAREST, gl.REPEAT);
  }

  /** @param gain display value of a panorama value of 1 */
  draw(view: StripView, yawDeg: number, gain: number, colours: StripColours): void {
    const { gl, canvas, uniforms, whole } = this;
    if (!whole) return;
    gl.viewport(0, 0, canvas.width, canvas.height);
    gl.useProgram(this.program);
    gl.uniform1i(uniforms.picture, 0);
    gl.uniform1i(uniforms.clipped, 1);
    gl.activeTexture(gl.TEXTURE1);
    gl.bindTexture(gl.TEXTURE_2D, this.mask);
    gl.activeTexture(gl.TEXTURE0);
    const across = view.flat ? Math.tan((view.spanDeg * Math.PI) / 360) : view.spanDeg / 2;
    gl.uniform2f(uniforms.centre, view.azimuthDeg - yawDeg, view.elevationDeg);
    gl.uniform2f(uniforms.halfSpan, across, (across * canvas.height) / canvas.width);
    gl.uniform1i(uniforms.flatLook, view.flat ? 1 : 0);
    gl.uniform1i(uniforms.colours, COLOUR_CODES[colours]);
    for (const layer of [whole, ...this.tiles.values()]) {
      gl.bindTexture(gl.TEXTURE_2D, layer.texture);
      gl.uniform4f(uniforms.window, ...layer.window);
      gl.uniform1f(uniforms.gain, gain / layer.scale);
      drawQuad(gl);
    }
  }

  dispose(): void {
    this.gl.getExtension('WEBGL_lose_context')?.loseContext();
  }

  private upload(picture: FloatPicture, sideways: number): WebGLTexture {
    const { gl } = this;
    const texture = gl.createTexture();
    gl.activeTexture(gl.TEXTURE0);
    gl.bindTexture(gl.TEXTURE_2D, texture);
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 2);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGB16F, picture.width, picture.height, 0, gl.RGB, gl.HALF_FLOAT, picture.halves);
    this.wrap(gl.LINEAR, sideways);
    return texture;
  }

  private wrap(filter: number, sideways: number): void {
    const { gl } = this;
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, filter);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, filter);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, sideways);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
  }
}
