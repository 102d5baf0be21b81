import type { FloatPicture } from './floatPicture';
import type { StripView } from './stripView';

const VERTEX = `#version 300 es
in vec2 corner;
out vec2 at;
void main() { at = corner; gl_Position = vec4(corner, 0.0, 1.0); }`;

const FRAGMENT = `#version 300 es
precision highp float;
uniform sampler2D picture;
uniform vec2 centre;   // azimuth in the picture's own frame, elevation; degrees
uniform vec2 halfSpan; // degrees from the middle to the right and upper edge
uniform float gain;
in vec2 at;
out vec4 colour;
vec3 encode(vec3 v) {
  v = clamp(v, 0.0, 1.0);
  return mix(v * 12.92, 1.055 * pow(v, vec3(1.0 / 2.4)) - 0.055, step(vec3(0.0031308), v));
}
void main() {
  float az = centre.x + at.x * halfSpan.x;
  float el = centre.y + at.y * halfSpan.y;
  vec2 uv = vec2(az / 360.0, (90.0 - el) / 180.0);
  vec3 v = texture(picture, uv).rgb * gain;
  vec3 shown = encode(v);
  // Where the display, not the picture, runs out: fine hatching.
  if (min(v.r, min(v.g, v.b)) > 1.0 && mod(gl_FragCoord.x + gl_FragCoord.y, 9.0) < 1.2) shown = vec3(0.72);
  colour = vec4(shown, 1.0);
}`;

/** Draws the strip with WebGL 2: the float picture is uploaded once, exposure and turn are uniforms. */
export class StripRenderer {
  private readonly gl: WebGL2RenderingContext;
  private readonly program: WebGLProgram;
  private readonly uniforms: Record<'centre' | 'halfSpan' | 'gain', WebGLUniformLocation | null>;
  private scale = 1;

  /** @throws Error when the browser has no WebGL 2 */
  constructor(private readonly canvas: HTMLCanvasElement) {
    const gl = canvas.getContext('webgl2', { antialias: false, preserveDrawingBuffer: true });
    if (!gl) throw new Error('This browser shows no float pictures (WebGL 2 is missing)');
    this.gl = gl;
    const program = gl.createProgram();
    for (const [type, source] of [[gl.VERTEX_SHADER, VERTEX], [gl.FRAGMENT_SHADER, FRAGMENT]] as const) {
      const shader = gl.createShader(type)!;
      gl.shaderSource(shader, source);
      gl.compileShader(shader);
      if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(`Shader: ${gl.getShaderInfoLog(shader)}`);
      gl.attachShader(program, shader);
    }
    gl.linkProgram(program);
    if (!gl.getProgramParameter(program, gl.LINK_STATUS)) throw new Error(`Shader: ${gl.getProgramInfoLog(program)}`);
    this.program = program;
    this.uniforms = { centre: gl.getUniformLocation(program, 'centre'), halfSpan: gl.getUniformLocation(program, 'halfSpan'), gain: gl.getUniformLocation(program, 'gain') };
    gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
    gl.bufferData(gl.ARRAY_BUFFER, new Float32Array([-1, -1, 1, -1, -1, 1, 1, 1]), gl.STATIC_DRAW);
    const corner = gl.getAttribLocation(program, 'corner');
    gl.enableVertexAttribArray(corner);
    gl.vertexAttribPointer(corner, 2, gl.FLOAT, false, 0, 0);
  }

  load(picture: FloatPicture): void {
    const { gl } = this;
    this.scale = picture.scale;
    gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 2);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGB16F, picture.width, picture.height, 0, gl.RGB, gl.HALF_FLOAT, picture.halves);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.REPEAT);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
  }

  /** @param gain display value of a panorama value of 1 */
  draw(view: StripView, yawDeg: number, gain: number): void {
    const { gl, canvas } = this;
    gl.viewport(0, 0, canvas.width, canvas.height);
    gl.useProgram(this.program);
    gl.uniform2f(this.uniforms.centre, view.azimuthDeg - yawDeg, view.elevationDeg);
    gl.uniform2f(this.uniforms.halfSpan, view.spanDeg / 2, ((view.spanDeg / 2) * canvas.height) / canvas.width);
    gl.uniform1f(this.uniforms.gain, gain / this.scale);
    gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
  }

  dispose(): void {
    this.gl.getExtension('WEBGL_lose_context')?.loseContext();
  }
}
