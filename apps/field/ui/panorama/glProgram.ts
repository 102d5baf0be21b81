const VERTEX = `#version 300 es
in vec2 corner;
out vec2 at;
void main() { at = corner; gl_Position = vec4(corner, 0.0, 1.0); }`;

/** A program that computes every pixel of a canvas from `at`, -1 to 1 right and up. @throws Error when the browser has no WebGL 2 */
export function buildProgram<U extends string>(canvas: HTMLCanvasElement, fragment: string, names: readonly U[]) {
  const gl = canvas.getContext('webgl2', { antialias: false, preserveDrawingBuffer: true });
  if (!gl) throw new Error('This browser shows no float pictures (WebGL 2 is missing)');
  const program = gl.createProgram();
  for (const [type, source] of [
    [gl.VERTEX_SHADER, VERTEX],
    [gl.FRAGMENT_SHADER, fragment],
  ] as const) {
    const shader = gl.createShader(type)!;
    gl.shaderSource(shader, source);
    gl.compileShader(shader);
    if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(`Shader: ${gl.getShaderInfoLog(shader)}`);
    gl.attachShader(program, shader);
  }
  gl.linkProgram(program);
  if (!gl.getProgramParameter(program, gl.LINK_STATUS)) throw new Error(`Program: ${gl.getProgramInfoLog(program)}`);
  gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
  gl.bufferData(gl.ARRAY_BUFFER, new Float32Array([-1, -1, 1, -1, -1, 1, 1, 1]), gl.STATIC_DRAW);
  const corner = gl.getAttribLocation(program, 'corner');
  gl.enableVertexAttribArray(corner);
  gl.vertexAttribPointer(corner, 2, gl.FLOAT, false, 0, 0);
  const uniforms = Object.fromEntries(names.map((name) => [name, gl.getUniformLocation(program, name)])) as Record<
    U,
    WebGLUniformLocation | null
  >;
  return { gl, program, uniforms };
}

export const drawQuad = (gl: WebGL2RenderingContext): void => gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
