import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { runProcessList } from '@tawny/core';
import { readClf } from '../src';
import { CLF_FILES, LOG_CURVE, LOG_TO_LINEAR } from './support/clfFiles';

/** Debian's Python, which has OpenColorIO as a package of the system. */
const PYTHON = '/usr/bin/python3';
const bytes = (text: string) => new Uint8Array(Buffer.from(text));

/** Values inside and outside of [0, 1], grey and coloured. */
const VALUES = Array.from({ length: 41 }, (_, i) => -0.1 + (1.3 * i) / 40).flatMap((v) => [
  v,
  0.9 * v + 0.03,
  1.05 - v,
]);

describe('Common LUT Format, held against OpenColorIO', () => {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'clf-'));
  let truth: Record<string, number[]>;
  beforeAll(() => {
    const names = Object.keys(CLF_FILES);
    const jobs = names.map((name) => {
      const file = path.join(folder, `${name}.clf`);
      fs.writeFileSync(file, CLF_FILES[name]);
      return { file, rgb: VALUES };
    });
    const script = path.join(__dirname, 'support', 'colourManagement.py');
    const out = execFileSync(PYTHON, [script], { input: JSON.stringify({ jobs }), encoding: 'utf8' });
    const lists = JSON.parse(out) as number[][];
    truth = Object.fromEntries(names.map((n, i) => [n, lists[i]]));
  });
  afterAll(() => fs.rmSync(folder, { recursive: true }));

  test.each(Object.keys(CLF_FILES))('%s', (name) => {
    const { nodes } = readClf(bytes(CLF_FILES[name]), `${name}.clf`);
    const ours = Float32Array.from(VALUES);
    runProcessList(nodes, ours);
    const apart = truth[name].map((t, i) => Math.abs(ours[i] - t) / Math.max(0.02, Math.abs(t)));
    expect(Math.max(...apart)).toBeLessThan(2e-4);
    // It does something, and does not bring everything to one value.
    expect(new Set(ours).size).toBeGreaterThan(20);
  });
});

test('the made-up recording comes back to the light that it was made from', () => {
  const { base, linSideSlope, linSideOffset, logSideSlope, logSideOffset } = LOG_CURVE;
  const encode = (x: number) =>
    logSideSlope * (Math.log(linSideSlope * x + linSideOffset) / Math.log(base)) + logSideOffset;
  const { nodes, input, output, name } = readClf(bytes(LOG_TO_LINEAR), 'a.clf');
  const light = [0.02, 0.18, 0.9, 4];
  const rgb = Float32Array.from(light.flatMap((x) => [encode(x), encode(x), encode(x)]));
  runProcessList(nodes, rgb);
  light.forEach((x, i) => expect(rgb[3 * i] / x).toBeCloseTo(1, 5));
  expect({ input, output, name }).toEqual({ input: 'code values', output: 'scene-linear', name: 'heron-log' });
});

test('a table over half-float patterns is read at every size of value', () => {
  const half = Array.from({ length: 65536 }, (_, i) => i);
  const text = `<ProcessList xmlns="urn:AMPAS:CLF:v3.0" id="h"><LUT1D inBitDepth="16f" outBitDepth="16f" halfDomain="true" rawHalfs="true"><Array dim="65536 1">${half.join(' ')}</Array></LUT1D></ProcessList>`;
  const { nodes } = readClf(bytes(text), 'half.clf');
  const values = [0, 1e-7, 6e-5, 0.18, 1, 3.3337, 1000, -0.25, 60000].flatMap((v) => [v, v, v]);
  const rgb = Float32Array.from(values);
  runProcessList(nodes, rgb);
  // Every pattern stands for itself: what comes out is what went in.
  rgb.forEach((v, i) => expect(Math.abs(v - values[i])).toBeLessThanOrEqual(1e-6 * Math.abs(values[i]) + 1e-9));
});

describe('what cannot be read is refused by name', () => {
  const step = (body: string) => `<ProcessList xmlns="urn:AMPAS:CLF:v3.0" id="x">${body}</ProcessList>`;
  test.each([
    ['', /empty/],
    ['not xml at all', /no XML/],
    ['<html/>', /root is not ProcessList/],
    ['<!DOCTYPE a [<!ENTITY b "c">]><ProcessList/>', /document type/],
    [step(''), /holds no step/],
    [step('<Hologram inBitDepth="32f" outBitDepth="32f"/>'), /step 1 \(Hologram\)/],
    [
      step('<Log inBitDepth="32f" outBitDepth="32f" style="cameraLogToLin"><LogParams base="10"/></Log>'),
      /linSideBreak/,
    ],
    [step('<Log inBitDepth="32f" outBitDepth="32f" style="cubeLog"/>'), /style "cubeLog"/],
    [step('<Matrix inBitDepth="32f" outBitDepth="32f"><Array dim="3 3">1 2 3</Array></Matrix>'), /3 x 3 or 3 x 4/],
    [
      step('<Matrix inBitDepth="9i" outBitDepth="32f"><Array dim="3 3">1 0 0 0 1 0 0 0 1</Array></Matrix>'),
      /inBitDepth/,
    ],
    [step('<LUT1D inBitDepth="32f" outBitDepth="32f"><Array dim="4 1">0 1 x 3</Array></LUT1D>'), /no number/],
    [step('<LUT3D inBitDepth="32f" outBitDepth="32f"><Array dim="2 2 2 3">0 1</Array></LUT3D>'), /2 x 2 x 2 x 3/],
    [
      step('<Exponent inBitDepth="32f" outBitDepth="32f" style="basicFwd"><ExponentParams exponent="-1"/></Exponent>'),
      /out of range/,
    ],
  ])('%s', (text, why) => expect(() => readClf(bytes(text), 'bad.clf')).toThrow(why));
});
