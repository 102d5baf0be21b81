import fs from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { writeLightStage } from '@tawny/formats';
import { anamorphicStage } from '../../packages/formats/tests/support/stage';

const READER = path.dirname(createRequire(import.meta.url).resolve('tinyusdz/package.json'));
const TYPES: Record<string, string> = { '.js': 'text/javascript', '.wasm': 'application/wasm', '.html': 'text/html' };

/** Reads a stage with somebody else's reader, in a page that holds nothing else, and returns how that one writes it. */
async function readElsewhere(page: Page, stage: string): Promise<string> {
  await page.route('http://reader.test/**', (route) => {
    const name = new URL(route.request().url()).pathname.slice(1) || 'index.html';
    const body =
      name === 'index.html'
        ? Buffer.from('<!doctype html><title>reader</title>')
        : fs.readFileSync(path.join(READER, name));
    return route.fulfill({ body, contentType: TYPES[path.extname(name)] });
  });
  await page.goto('http://reader.test/');
  return page.evaluate(async (text) => {
    const from = 'http://reader.test/tinyusdz.js';
    const { default: start } = (await import(from)) as {
      default: () => Promise<{
        TinyUSDZLoaderNative: new () => {
          loadAsLayerFromBinary: (bytes: Uint8Array, name: string) => boolean;
          layerToString: () => string;
          error: () => string;
        };
      }>;
    };
    const native = await start();
    const loader = new native.TinyUSDZLoaderNative();
    if (!loader.loadAsLayerFromBinary(new TextEncoder().encode(text), 'stage.usda')) throw new Error(loader.error());
    return loader.layerToString();
  }, stage);
}

test('an independent reader reads the stage: lights, camera, units and where things are', async ({ page }) => {
  const stage = writeLightStage(anamorphicStage([0.6, 0.64, 0.48], 'The Tin Heron "14A"'));
  const read = await readElsewhere(page, stage);
  const number = (name: string) => Number(read.match(new RegExp(`${name}\\s*=\\s*(-?[\\d.e+-]+)`))?.[1]);
  expect(read).toMatch(/def DomeLight/);
  expect(read).toMatch(/def DistantLight/);
  expect(read).toMatch(/def Camera "Camera_A"/);
  expect(read).toMatch(/textures\/residual\.exr/);
  expect(number('metersPerUnit')).toBe(1);
  expect(read).toMatch(/upAxis\s*=\s*"Y"/);
  // A stage in metres: lengths of the camera are tenths of its unit. Anamorphic: the gate unsqueezed; T4 at 64 % is f/3.2.
  expect(number('focalLength')).toBeCloseTo(0.35, 6);
  expect(number('horizontalAperture')).toBeCloseTo(0.48, 6);
  expect(number('verticalAperture')).toBeCloseTo(0.2, 6);
  expect(number('fStop')).toBeCloseTo(3.2, 5);
  expect(number('focusDistance')).toBeCloseTo(5.9, 5);
  expect(number('inputs:angle')).toBeCloseTo(0.53, 5);
  // The third row of the sun's matrix, its local +Z, points at the sun.
  const rows = [
    ...read
      .slice(read.indexOf('def DistantLight'))
      .matchAll(/\(\s*(-?[\d.e+-]+), (-?[\d.e+-]+), (-?[\d.e+-]+), (?:0|1)(?:\.0)?\s*\)/g),
  ];
  rows[2].slice(1, 4).forEach((v, i) => expect(Number(v)).toBeCloseTo([0.6, 0.64, 0.48][i], 6));
  // A file that is none is refused by it, so it does read.
  await expect(readElsewhere(page, stage.replace('def DomeLight', 'def )('))).rejects.toThrow();
});
