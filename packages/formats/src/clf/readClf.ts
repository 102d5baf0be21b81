import { create } from 'xmlbuilder2';
import { fromHalf } from '../exr/half';
import type { ExponentStyle, LogParams, LogStyle, ProcessNode } from '@tawny/core';
import { FileProblem } from '../errors';

/** A Common LUT Format file (Academy S-2014-006): its steps in their order. */
export interface ProcessList {
  /** Name that the file gives itself; its id when it has none. */
  name: string;
  /** What it says of its input and output. */
  input: string | null;
  output: string | null;
  nodes: ProcessNode[];
}

const MAX_BYTES = 16 << 20;
const DEPTHS: Record<string, number> = { '8i': 255, '10i': 1023, '12i': 4095, '16i': 65535, '16f': 1, '32f': 1 };
type Three<T> = [T, T, T];
const CHANNELS = ['R', 'G', 'B'];

/** The little of a document's element that is wanted here. */
interface Xml {
  nodeType: number;
  localName: string;
  textContent: string | null;
  childNodes: Iterable<Xml>;
  getAttribute(name: string): string | null;
}
const ELEMENT = 1;

/** Reads a Common LUT Format file. @throws FileProblem naming the file and the step that cannot be read */
export function readClf(bytes: Uint8Array, name: string): ProcessList {
  const no = (why: string) => new FileProblem('unsupported', name, why);
  if (bytes.length === 0) throw new FileProblem('empty-file', name, 'the file is empty; copy it again');
  if (bytes.length > MAX_BYTES) throw new FileProblem('too-large', name, 'is larger than 16 MiB: no curve is');
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)
    .toString('utf8')
    .replace(/^\uFEFF/, '');
  // Entities of a file's own making have no place in a list of numbers.
  if (/<!(DOCTYPE|ENTITY)/i.test(text)) throw no('declares a document type, which no Common LUT Format file needs');
  let root: Xml;
  try {
    root = create(text).root().node as unknown as Xml;
  } catch {
    throw new FileProblem('damaged-image', name, 'is no XML that can be read; copy it again');
  }
  if (root.localName !== 'ProcessList') throw no('is no Common LUT Format file: its root is not ProcessList');
  const steps = elements(root);
  const words = (of: string) => steps.find((e) => e.localName === of)?.textContent?.trim() || null;
  const described = new Set(['Description', 'InputDescriptor', 'OutputDescriptor', 'Info']);
  const nodes = steps
    .filter((e) => !described.has(e.localName))
    .flatMap((e, i) => readNode(e, (why) => no(`step ${i + 1} (${e.localName}): ${why}`)));
  if (nodes.length === 0) throw no('holds no step');
  return {
    name: root.getAttribute('name') ?? root.getAttribute('id') ?? name,
    input: words('InputDescriptor'),
    output: words('OutputDescriptor'),
    nodes,
  };
}

const elements = (e: Xml): Xml[] => [...e.childNodes].filter((c) => c.nodeType === ELEMENT);
type No = (why: string) => FileProblem;

function readNode(e: Xml, no: No): ProcessNode[] {
  if (e.getAttribute('bypass') === 'true') return [];
  const depth = (which: string) => {
    const stated = e.getAttribute(which) ?? '';
    if (!(stated in DEPTHS)) throw no(`${which} must be one of ${Object.keys(DEPTHS).join(', ')}`);
    return DEPTHS[stated];
  };
  const [inScale, outScale] = [depth('inBitDepth'), depth('outBitDepth')];
  switch (e.localName) {
    case 'Matrix':
      return [matrix(e, inScale, outScale, no)];
    case 'Range':
      return range(e, inScale, outScale, no);
    case 'Log':
      return log(e, no);
    case 'Exponent':
    case 'Gamma':
      return [exponent(e, no)];
    case 'ASC_CDL':
      return [cdl(e, no)];
    case 'LUT1D':
      return [lut1d(e, outScale, no)];
    case 'LUT3D':
      return [lut3d(e, outScale, no)];
    default:
      throw no('is no step that is known here');
  }
}

const child = (e: Xml, name: string) => elements(e).find((c) => c.localName === name);

function numbers(text: string | null, no: No): number[] {
  const values = (text ?? '').trim().split(/\s+/).map(Number);
  if (!values.every(Number.isFinite)) throw no('holds something that is no number');
  return values;
}

function array(e: Xml, no: No): { dim: number[]; values: number[] } {
  const found = child(e, 'Array');
  if (!found) throw no('has no Array');
  const dim = numbers(found.getAttribute('dim'), no);
  return { dim, values: numbers(found.textContent, no) };
}

function matrix(e: Xml, inScale: number, outScale: number, no: No): ProcessNode {
  const { dim, values } = array(e, no);
  const columns = dim[1];
  if (dim[0] !== 3 || (columns !== 3 && columns !== 4) || values.length !== 3 * columns)
    throw no('must have 3 x 3 or 3 x 4 values');
  const at = (r: number, c: number) => values[r * columns + c];
  return {
    kind: 'matrix',
    rows: [0, 1, 2].flatMap((r) => [0, 1, 2].map((c) => (at(r, c) * inScale) / outScale)),
    offset: [0, 1, 2].map((r) => (columns === 4 ? at(r, 3) / outScale : 0)) as Three<number>,
  };
}

function range(e: Xml, inScale: number, outScale: number, no: No): ProcessNode[] {
  const value = (name: string, scale: number) => {
    const found = child(e, name);
    return found ? numbers(found.textContent, no)[0] / scale : null;
  };
  const [minIn, maxIn] = [value('minInValue', inScale), value('maxInValue', inScale)];
  const [minOut, maxOut] = [value('minOutValue', outScale), value('maxOutValue', outScale)];
  if ((minIn === null) !== (minOut === null) || (maxIn === null) !== (maxOut === null))
    throw no('states the end of one side only');
  const both = minIn !== null && maxIn !== null;
  if (both && maxIn <= minIn) throw no('its input is empty');
  const scale = both ? (maxOut! - minOut!) / (maxIn - minIn) : 1;
  const offset = both
    ? minOut! - scale * minIn
    : minIn !== null
      ? minOut! - minIn
      : maxIn !== null
        ? maxOut! - maxIn
        : 0;
  const clamps = (e.getAttribute('style') ?? 'Clamp').toLowerCase() === 'clamp';
  return [
    {
      kind: 'range',
      scale,
      offset,
      low: clamps ? (minOut ?? -Infinity) : -Infinity,
      high: clamps ? (maxOut ?? Infinity) : Infinity,
    },
  ];
}

/** Reads parameters of all channels, or of each. */
function perChannel<T>(e: Xml, name: string, read: (params: Xml | undefined) => T, no: No): Three<T> {
  const all = elements(e).filter((c) => c.localName === name);
  const common = all.find((c) => !c.getAttribute('channel'));
  return CHANNELS.map((channel) => {
    const own = all.find((c) => c.getAttribute('channel') === channel) ?? common;
    if (all.length > 0 && !own) throw no(`has no ${name} for channel ${channel}`);
    return read(own);
  }) as Three<T>;
}

const attribute = (e: Xml | undefined, name: string, otherwise: number, no: No): number => {
  const text = e?.getAttribute(name);
  return text === null || text === undefined ? otherwise : numbers(text, no)[0];
};

const PLAIN: Record<string, [LogStyle, number]> = {
  log10: ['linToLog', 10],
  antiLog10: ['logToLin', 10],
  log2: ['linToLog', 2],
  antiLog2: ['logToLin', 2],
};
const LOG_STYLES: readonly LogStyle[] = ['linToLog', 'logToLin', 'cameraLinToLog', 'cameraLogToLin'];

function log(e: Xml, no: No): ProcessNode[] {
  const style = e.getAttribute('style') ?? '';
  const plain = PLAIN[style];
  const found = plain?.[0] ?? LOG_STYLES.find((s) => s === style);
  if (!found) throw no(`its style "${style}" is not known`);
  const channels = perChannel(
    e,
    'LogParams',
    (p): LogParams => {
      const own = p?.getAttribute('linSideBreak') ?? null;
      if (found.startsWith('camera') && own === null) throw no('a camera style needs linSideBreak');
      return {
        base: plain?.[1] ?? attribute(p, 'base', 2, no),
        linSideSlope: attribute(p, 'linSideSlope', 1, no),
        linSideOffset: attribute(p, 'linSideOffset', 0, no),
        logSideSlope: attribute(p, 'logSideSlope', 1, no),
        logSideOffset: attribute(p, 'logSideOffset', 0, no),
        linSideBreak: own === null ? null : numbers(own, no)[0],
        linearSlope: p?.getAttribute('linearSlope') ? attribute(p, 'linearSlope', 1, no) : null,
      };
    },
    no,
  );
  if (channels.some((c) => !(c.base > 0) || c.base === 1 || c.linSideSlope === 0 || c.logSideSlope === 0))
    throw no('a base must be positive and not 1, slopes not 0');
  return [{ kind: 'log', style: found, channels }];
}

const EXPONENT_STYLES: readonly ExponentStyle[] = [
  'basicFwd', 'basicRev', 'basicMirrorFwd', 'basicMirrorRev', 'basicPassThruFwd', 'basicPassThruRev',
  'monCurveFwd', 'monCurveRev', 'monCurveMirrorFwd', 'monCurveMirrorRev',
]; // prettier-ignore

function exponent(e: Xml, no: No): ProcessNode {
  const stated = e.getAttribute('style') ?? '';
  const style = EXPONENT_STYLES.find((s) => s.toLowerCase() === stated.toLowerCase());
  if (!style) throw no(`its style "${stated}" is not known`);
  const name = child(e, 'GammaParams') ? 'GammaParams' : 'ExponentParams';
  const read = (attributeName: string, otherwise: number) =>
    perChannel(e, name, (p) => attribute(p, attributeName, otherwise, no), no);
  const power = name === 'GammaParams' ? read('gamma', 1) : read('exponent', 1);
  const offset = read('offset', 0);
  const moncurve = style.startsWith('monCurve');
  if (power.some((p) => !(p > 0)) || (moncurve && (power.some((p) => !(p > 1)) || offset.some((o) => !(o > 0)))))
    throw no('its exponent or offset is out of range');
  return { kind: 'exponent', style, exponent: power, offset };
}

function cdl(e: Xml, no: No): ProcessNode {
  const style = (e.getAttribute('style') ?? 'Fwd').toLowerCase();
  const styles: Record<string, [boolean, boolean]> = {
    fwd: [false, true], 'v1.2_fwd': [false, true], fwdnoclamp: [false, false], nofwd: [false, false],
    rev: [true, true], 'v1.2_rev': [true, true], revnoclamp: [true, false],
  }; // prettier-ignore
  const found = styles[style];
  if (!found) throw no(`its style "${style}" is not known`);
  const sop = child(e, 'SOPNode');
  const three = (name: string, otherwise: number): Three<number> => {
    const text = sop && child(sop, name)?.textContent;
    const values = text ? numbers(text, no) : [otherwise, otherwise, otherwise];
    if (values.length !== 3) throw no(`${name} must be three numbers`);
    return values as Three<number>;
  };
  const sat = child(e, 'SatNode');
  const saturation = sat && child(sat, 'Saturation') ? numbers(child(sat, 'Saturation')!.textContent, no)[0] : 1;
  return {
    kind: 'cdl', slope: three('Slope', 1), offset: three('Offset', 0), power: three('Power', 1), saturation,
    reverse: found[0], clamp: found[1],
  }; // prettier-ignore
}

function lut1d(e: Xml, outScale: number, no: No): ProcessNode {
  const { dim, values } = array(e, no);
  const [length, channels] = dim;
  if ((channels !== 1 && channels !== 3) || values.length !== length * channels || length < 2)
    throw no(`its Array says ${dim.join(' x ')} and holds ${values.length} values`);
  const halfDomain = e.getAttribute('halfDomain') === 'true';
  if (halfDomain && length !== 65536) throw no('a half domain has 65536 entries');
  const value = e.getAttribute('rawHalfs') === 'true' ? (v: number) => fromHalf(v) : (v: number) => v / outScale;
  const table = (c: number) =>
    Float32Array.from({ length }, (_, i) => value(values[i * channels + (channels === 3 ? c : 0)]));
  const first = table(0);
  return { kind: 'lut1d', tables: channels === 1 ? [first, first, first] : [first, table(1), table(2)], halfDomain };
}

function lut3d(e: Xml, outScale: number, no: No): ProcessNode {
  const { dim, values } = array(e, no);
  const side = dim[0];
  if (
    dim.length !== 4 ||
    dim[1] !== side ||
    dim[2] !== side ||
    dim[3] !== 3 ||
    side < 2 ||
    values.length !== side ** 3 * 3
  )
    throw no(`its Array says ${dim.join(' x ')} and holds ${values.length} values`);
  return {
    kind: 'lut3d',
    table: Float32Array.from(values, (v) => v / outScale),
    side,
    tetrahedral: e.getAttribute('interpolation') === 'tetrahedral',
  };
}
