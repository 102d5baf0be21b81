/** Process lists of every kind of step, as text. The curves are of nobody's camera: logarithms made up for the tests. */
const list = (id: string, steps: string) =>
  `<?xml version="1.0" encoding="UTF-8"?>\n<ProcessList xmlns="urn:AMPAS:CLF:v3.0" id="${id}" name="${id}" compCLFversion="3.0">\n<Description>made up</Description>\n<InputDescriptor>code values</InputDescriptor>\n<OutputDescriptor>scene-linear</OutputDescriptor>\n${steps}\n</ProcessList>\n`;

const f32 = 'inBitDepth="32f" outBitDepth="32f"';

/** A logarithmic recording: linear below a break, a logarithm above. */
export const LOG_CURVE = {
  base: 10,
  linSideSlope: 5.6,
  linSideOffset: 0.053,
  logSideSlope: 0.25,
  logSideOffset: 0.39,
  linSideBreak: 0.0106,
};

const params = (more = '') =>
  `<LogParams base="${LOG_CURVE.base}" linSideSlope="${LOG_CURVE.linSideSlope}" linSideOffset="${LOG_CURVE.linSideOffset}" logSideSlope="${LOG_CURVE.logSideSlope}" logSideOffset="${LOG_CURVE.logSideOffset}" linSideBreak="${LOG_CURVE.linSideBreak}"${more}/>`;

/** Decodes the recording to scene-linear. */
export const LOG_TO_LINEAR = list('heron-log', `<Log ${f32} style="cameraLogToLin">${params()}</Log>`);

const ramp = (n: number, f: (v: number) => number) => Array.from({ length: n }, (_, i) => f(i / (n - 1)).toFixed(6));
const cube = (n: number, f: (r: number, g: number, b: number) => number[]) => {
  const rows: string[] = [];
  for (let r = 0; r < n; r++)
    for (let g = 0; g < n; g++)
      for (let b = 0; b < n; b++)
        rows.push(
          f(r / (n - 1), g / (n - 1), b / (n - 1))
            .map((v) => v.toFixed(6))
            .join(' '),
        );
  return rows.join('\n');
};
const mixed = (r: number, g: number, b: number) => [0.8 * r + 0.1 * g * b, 0.9 * g * g + 0.05 * r, 0.2 + 0.7 * b];
const exponents = [
  'basicFwd', 'basicRev', 'basicMirrorFwd', 'basicMirrorRev', 'basicPassThruFwd', 'basicPassThruRev',
]; // prettier-ignore
const moncurves = ['monCurveFwd', 'monCurveRev', 'monCurveMirrorFwd', 'monCurveMirrorRev'];

export const CLF_FILES: Record<string, string> = {
  logToLinear: LOG_TO_LINEAR,
  linearToLog: list('lin', `<Log ${f32} style="cameraLinToLog">${params(' linearSlope="6.2"')}</Log>`),
  plainLogs: list('logs', `<Log ${f32} style="antiLog2"/><Log ${f32} style="log10"/>`),
  logChannels: list(
    'channels',
    `<Log ${f32} style="logToLin">${['R', 'G', 'B'].map((c, i) => `<LogParams channel="${c}" base="2" linSideSlope="${1 + 0.1 * i}" linSideOffset="0.01" logSideSlope="0.07" logSideOffset="0.5"/>`).join('')}</Log>`,
  ),
  matrix: list(
    'matrix',
    `<Matrix inBitDepth="10i" outBitDepth="16i"><Array dim="3 4">55 6 1 300\n 3 60 2 -40\n 1 4 58 0</Array></Matrix>`,
  ),
  range: list(
    'range',
    `<Range inBitDepth="10i" outBitDepth="32f"><minInValue>64</minInValue><maxInValue>940</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue></Range>`,
  ),
  rangeOpen: list(
    'open',
    `<Range ${f32} style="noClamp"><minInValue>0.0625</minInValue><maxInValue>0.92</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue></Range>`,
  ),
  lut1d: list(
    'lut',
    `<LUT1D inBitDepth="10i" outBitDepth="12i"><Array dim="33 1">${ramp(33, (v) => 4095 * v ** 2.4).join('\n')}</Array></LUT1D>`,
  ),
  lut1dChannels: list(
    'lut3',
    `<LUT1D ${f32}><Array dim="17 3">${ramp(17, (v) => v * v)
      .map((v, i) => `${v} ${(i / 16) ** 3} ${i / 20}`)
      .join('\n')}</Array></LUT1D>`,
  ),
  lut3d: list('cube', `<LUT3D ${f32}><Array dim="5 5 5 3">${cube(5, mixed)}</Array></LUT3D>`),
  lut3dTetrahedral: list(
    'tetra',
    `<LUT3D ${f32} interpolation="tetrahedral"><Array dim="5 5 5 3">${cube(5, mixed)}</Array></LUT3D>`,
  ),
  cdl: list(
    'cdl',
    `<ASC_CDL ${f32} style="Fwd"><SOPNode><Slope>1.1 0.9 1.2</Slope><Offset>0.02 -0.01 0.03</Offset><Power>1.2 0.8 1</Power></SOPNode><SatNode><Saturation>0.7</Saturation></SatNode></ASC_CDL>`,
  ),
  cdlBack: list(
    'cdlb',
    `<ASC_CDL ${f32} style="RevNoClamp"><SOPNode><Slope>1.1 0.9 1.2</Slope><Offset>0.02 -0.01 0.03</Offset><Power>1.2 0.8 1</Power></SOPNode><SatNode><Saturation>0.7</Saturation></SatNode></ASC_CDL>`,
  ),
  ...Object.fromEntries(
    exponents.map((s) => [s, list(s, `<Exponent ${f32} style="${s}"><ExponentParams exponent="2.2"/></Exponent>`)]),
  ),
  ...Object.fromEntries(
    moncurves.map((s) => [
      s,
      list(s, `<Exponent ${f32} style="${s}"><ExponentParams exponent="2.4" offset="0.055"/></Exponent>`),
    ]),
  ),
  chain: list(
    'chain',
    `<Range ${f32} style="noClamp"><minInValue>0.0625</minInValue><maxInValue>0.92</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue></Range><Log ${f32} style="cameraLogToLin">${params()}</Log><Matrix ${f32}><Array dim="3 3">0.6 0.3 0.1 0.1 0.8 0.1 0.05 0.1 0.85</Array></Matrix>`,
  ),
};
