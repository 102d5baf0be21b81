import type { Command } from 'commander';
import { z } from 'zod';
import {
  findChart,
  sampleCard,
  sampleChart,
  sampleRegion,
  type Corners,
  type PatchColour,
  type Point,
} from '@tawny/core';
import { isExr, readAttributes } from '@tawny/formats';
import { readMeasuredPicture } from '@tawny/pipeline';
import fs from 'node:fs/promises';
import { statedDecoding, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { numberList } from '../options';
import { printResult } from '../output';
import { readJson } from '../readJson';

const rectsSchema = z.array(
  z.strictObject({
    name: z.string().min(1),
    x: z.number(),
    y: z.number(),
    width: z.number().positive(),
    height: z.number().positive(),
  }),
);

type Flags = DecodingFlags & {
  corners?: number[];
  chart?: string;
  rects?: string;
  findChart?: boolean;
  json?: boolean;
};

export const cornersOf = (v: readonly number[]): Corners =>
  [0, 1, 2, 3].map((k): Point => [v[2 * k], v[2 * k + 1]]) as unknown as Corners;

/** A patch as files state it. */
export const patchJson = ({ name, rgb: [r, g, b], sigma, clippedShare }: PatchColour) => ({
  name,
  r,
  g,
  b,
  sigma,
  clippedShare,
});

function layoutOf(text: string): { columns: number; rows: number } {
  const [, columns, rows] = /^(\d{1,2})x(\d{1,2})$/.exec(text) ?? [];
  if (!columns || Number(columns) < 1 || Number(rows) < 1)
    throw new RangeError(`--chart is columns x rows such as 6x4, not ${text}`);
  return { columns: Number(columns), rows: Number(rows) };
}

/** Whether a picture's header says that it is a latitude-longitude panorama. */
async function isLatlong(file: string, { width, height }: { width: number; height: number }): Promise<boolean> {
  if (width !== 2 * height) return false;
  if (/\.hdr$/i.test(file)) return true;
  const bytes = await fs.readFile(file);
  return isExr(bytes) && readAttributes(bytes).latlong === true;
}

export function addPatches(program: Command): void {
  withDecodingOptions(
    program.command('patches <file>').description('means of a card, a chart or regions of a picture, in linear light'),
  )
    .option(
      '--corners <x,y,...>',
      'four corners of the field, clockwise from the dark-skin corner; without --chart: of a card',
      numberList(8),
    )
    .option('--chart <columns x rows>', 'the field is a chart, such as 6x4')
    .option('--rects <file>', 'JSON list of regions: name, x, y, width, height')
    .option('--find-chart', 'find the 24-patch chart')
    .option('--json', 'print one JSON object')
    .action(async (file: string, o: Flags) => {
      if ([o.corners, o.rects, o.findChart].filter((v) => v !== undefined).length !== 1)
        throw new RangeError('state one of --corners, --rects and --find-chart');
      const rects = o.rects === undefined ? null : await readJson(o.rects, rectsSchema);
      const { image, clipped } = await readMeasuredPicture(file, undefined, await statedDecoding(o));
      const how = { clipped, latlong: await isLatlong(file, image) };
      const layout = o.chart === undefined ? null : layoutOf(o.chart);
      if (rects) {
        printResult(
          { patches: rects.map((r) => patchJson(sampleRegion(image, r, how))), found: null },
          o.json === true,
        );
        return;
      }
      if (o.findChart) {
        if (layout && (layout.columns !== 6 || layout.rows !== 4))
          throw new RangeError('--find-chart knows the chart of 6x4 patches only: mark the corners of another');
        const found = findChart(image);
        const patches = found
          ? sampleChart(image, found.corners, { columns: 6, rows: 4 }, how).filter((p) => !found.odd.includes(p.name))
          : [];
        printResult(
          {
            patches: patches.map(patchJson),
            found: found && { corners: found.corners.flat(), mirrored: found.mirrored, turnedDeg: found.turnedDeg },
            leftOut: found?.odd ?? [],
          },
          o.json === true,
        );
        return;
      }
      const corners = cornersOf(o.corners!);
      const patches = layout ? sampleChart(image, corners, layout, how) : [sampleCard(image, corners, how)];
      printResult({ patches: patches.map(patchJson), found: null }, o.json === true);
    });
}
