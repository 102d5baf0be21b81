/** Parameters of a logarithm for one channel, as Academy S-2014-006 names them. */
export interface LogParams {
  base: number;
  linSideSlope: number;
  linSideOffset: number;
  logSideSlope: number;
  logSideOffset: number;
  linSideBreak: number | null;
  linearSlope: number | null;
}

export type LogStyle = 'linToLog' | 'logToLin' | 'cameraLinToLog' | 'cameraLogToLin';
export type ExponentStyle =
  | 'basicFwd'
  | 'basicRev'
  | 'basicMirrorFwd'
  | 'basicMirrorRev'
  | 'basicPassThruFwd'
  | 'basicPassThruRev'
  | 'monCurveFwd'
  | 'monCurveRev'
  | 'monCurveMirrorFwd'
  | 'monCurveMirrorRev';

type Three<T> = readonly [T, T, T];

/** A step of a Common LUT Format process list, its values normalised: 1 is the full scale of its bit depth. */
export type ProcessNode =
  | { kind: 'matrix'; rows: readonly number[]; offset: Three<number> }
  | { kind: 'range'; scale: number; offset: number; low: number; high: number }
  | { kind: 'log'; style: LogStyle; channels: Three<LogParams> }
  | { kind: 'exponent'; style: ExponentStyle; exponent: Three<number>; offset: Three<number> }
  | {
      kind: 'cdl';
      slope: Three<number>;
      offset: Three<number>;
      power: Three<number>;
      saturation: number;
      reverse: boolean;
      clamp: boolean;
    }
  | { kind: 'lut1d'; tables: Three<Float32Array>; halfDomain: boolean }
  | { kind: 'lut3d'; table: Float32Array; side: number; tetrahedral: boolean };

const TINY = 1.17549435e-38;

function logFunction(style: LogStyle, p: LogParams): (x: number) => number {
  const k = p.logSideSlope / Math.log(p.base);
  const toLog = (x: number) => k * Math.log(Math.max(TINY, p.linSideSlope * x + p.linSideOffset)) + p.logSideOffset;
  const toLin = (y: number) => (Math.exp((y - p.logSideOffset) / k) - p.linSideOffset) / p.linSideSlope;
  if (style === 'linToLog') return toLog;
  if (style === 'logToLin') return toLin;
  const edge = p.linSideBreak ?? 0;
  const slope = p.linearSlope ?? (k * p.linSideSlope) / (p.linSideSlope * edge + p.linSideOffset);
  const logEdge = toLog(edge);
  const foot = logEdge - slope * edge;
  if (style === 'cameraLinToLog') return (x) => (x <= edge ? slope * x + foot : toLog(x));
  return (y) => (y <= logEdge ? (y - foot) / slope : toLin(y));
}

function exponentFunction(style: ExponentStyle, g: number, o: number): (x: number) => number {
  const mirror = (f: (x: number) => number) => (x: number) => (x < 0 ? -f(-x) : f(x));
  const edge = o / (g - 1);
  const low = Math.pow((g * o) / ((g - 1) * (1 + o)), g);
  const slope = low / edge;
  const moncurve = (x: number) => (x >= edge ? Math.pow((x + o) / (1 + o), g) : x * slope);
  const inverse = (y: number) => (y >= low ? (1 + o) * Math.pow(y, 1 / g) - o : y / slope);
  const forward = (x: number) => Math.pow(x, g);
  const back = (x: number) => Math.pow(x, 1 / g);
  switch (style) {
    case 'basicFwd':
      return (x) => forward(Math.max(0, x));
    case 'basicRev':
      return (x) => back(Math.max(0, x));
    case 'basicMirrorFwd':
      return mirror(forward);
    case 'basicMirrorRev':
      return mirror(back);
    case 'basicPassThruFwd':
      return (x) => (x <= 0 ? x : forward(x));
    case 'basicPassThruRev':
      return (x) => (x <= 0 ? x : back(x));
    case 'monCurveFwd':
      return moncurve;
    case 'monCurveRev':
      return inverse;
    case 'monCurveMirrorFwd':
      return mirror(moncurve);
    case 'monCurveMirrorRev':
      return mirror(inverse);
  }
}

function each(rgb: Float32Array, functions: Three<(x: number) => number>): void {
  for (let i = 0; i < rgb.length; i += 3) for (let c = 0; c < 3; c++) rgb[i + c] = functions[c](rgb[i + c]);
}

const halfIndex = (() => {
  const [float, bits] = [new Float32Array(1), new Uint32Array(1)];
  const view = new Uint32Array(float.buffer);
  /** The half-float pattern at or towards zero from a value, and how far on towards the next it lies. */
  return (x: number): [number, number] => {
    float[0] = Math.max(-65504, Math.min(65504, x));
    bits[0] = view[0];
    const sign = (bits[0] >>> 16) & 0x8000;
    const size = Math.abs(float[0]);
    if (size < 2 ** -14) {
      const step = size / 2 ** -24;
      return [sign | Math.floor(step), step - Math.floor(step)];
    }
    const exponent = ((bits[0] >>> 23) & 255) - 112;
    const mantissa = bits[0] & 0x7fffff;
    return [sign | (exponent << 10) | (mantissa >>> 13), (mantissa & 0x1fff) / 8192];
  };
})();

function look1d(table: Float32Array, halfDomain: boolean): (x: number) => number {
  if (halfDomain)
    return (x) => {
      if (Number.isNaN(x)) return x;
      const [at, part] = halfIndex(x);
      // The last finite pattern has no neighbour to go on to.
      return part === 0 ? table[at] : table[at] + part * (table[at + 1] - table[at]);
    };
  const last = table.length - 1;
  return (x) => {
    const at = Math.min(last, Math.max(0, Number.isNaN(x) ? 0 : x * last));
    const low = Math.min(last - 1, Math.floor(at));
    return table[low] + (at - low) * (table[low + 1] - table[low]);
  };
}

function look3d(rgb: Float32Array, { table, side, tetrahedral }: Extract<ProcessNode, { kind: 'lut3d' }>): void {
  const last = side - 1;
  const corner = (r: number, g: number, b: number) => 3 * ((r * side + g) * side + b);
  for (let i = 0; i < rgb.length; i += 3) {
    const at = [0, 1, 2].map((c) => Math.min(last, Math.max(0, (rgb[i + c] || 0) * last)));
    const low = at.map((v) => Math.min(last - 1, Math.floor(v)));
    const part = at.map((v, c) => v - low[c]);
    const weights: [number, number][] = [];
    if (tetrahedral) {
      // From the low corner to the high one along the axes, the longest part first.
      const order = [0, 1, 2].sort((a, b) => part[b] - part[a]);
      const here = [...low];
      let before = 1;
      for (const axis of order) {
        weights.push([corner(here[0], here[1], here[2]), before - part[axis]]);
        before = part[axis];
        here[axis]++;
      }
      weights.push([corner(here[0], here[1], here[2]), before]);
    } else {
      for (let k = 0; k < 8; k++) {
        const [dr, dg, db] = [k & 1, (k >> 1) & 1, k >> 2];
        const weight = [dr, dg, db].reduce((w, d, c) => w * (d ? part[c] : 1 - part[c]), 1);
        weights.push([corner(low[0] + dr, low[1] + dg, low[2] + db), weight]);
      }
    }
    for (let c = 0; c < 3; c++) rgb[i + c] = weights.reduce((sum, [k, w]) => sum + w * table[k + c], 0);
  }
}

const LUMA = [0.2126, 0.7152, 0.0722] as const;

function cdl(rgb: Float32Array, n: Extract<ProcessNode, { kind: 'cdl' }>): void {
  const bound = n.clamp ? (v: number) => Math.min(1, Math.max(0, v)) : (v: number) => v;
  const power = (v: number, p: number) => (v < 0 ? v : Math.pow(v, p));
  for (let i = 0; i < rgb.length; i += 3) {
    const v = [rgb[i], rgb[i + 1], rgb[i + 2]];
    const saturate = (s: number) => {
      const y = LUMA[0] * v[0] + LUMA[1] * v[1] + LUMA[2] * v[2];
      for (let c = 0; c < 3; c++) v[c] = bound(y + s * (v[c] - y));
    };
    if (n.reverse) {
      for (let c = 0; c < 3; c++) v[c] = bound(v[c]);
      saturate(1 / n.saturation);
      for (let c = 0; c < 3; c++) v[c] = bound((power(v[c], 1 / n.power[c]) - n.offset[c]) / n.slope[c]);
    } else {
      for (let c = 0; c < 3; c++) v[c] = power(bound(n.slope[c] * v[c] + n.offset[c]), n.power[c]);
      saturate(n.saturation);
    }
    rgb.set(v, i);
  }
}

/** Does one step to interleaved RGB, in place. */
function runNode(node: ProcessNode, rgb: Float32Array): void {
  switch (node.kind) {
    case 'matrix': {
      const [m, o] = [node.rows, node.offset];
      for (let i = 0; i < rgb.length; i += 3) {
        const [r, g, b] = [rgb[i], rgb[i + 1], rgb[i + 2]];
        for (let c = 0; c < 3; c++) rgb[i + c] = m[3 * c] * r + m[3 * c + 1] * g + m[3 * c + 2] * b + o[c];
      }
      return;
    }
    case 'range':
      for (let i = 0; i < rgb.length; i++)
        rgb[i] = Math.min(node.high, Math.max(node.low, node.scale * rgb[i] + node.offset));
      return;
    case 'log': {
      const [r, g, b] = node.channels.map((p) => logFunction(node.style, p));
      return each(rgb, [r, g, b]);
    }
    case 'exponent': {
      const [r, g, b] = node.exponent.map((e, c) => exponentFunction(node.style, e, node.offset[c]));
      return each(rgb, [r, g, b]);
    }
    case 'cdl':
      return cdl(rgb, node);
    case 'lut1d': {
      const [r, g, b] = node.tables.map((t) => look1d(t, node.halfDomain));
      return each(rgb, [r, g, b]);
    }
    case 'lut3d':
      return look3d(rgb, node);
  }
}

/** Runs a process list (Academy S-2014-006, Common LUT Format) over interleaved RGB, in place. */
export function runProcessList(nodes: readonly ProcessNode[], rgb: Float32Array): void {
  for (const node of nodes) runNode(node, rgb);
}
