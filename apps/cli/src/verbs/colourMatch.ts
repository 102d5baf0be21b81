import type { Command } from 'commander';
import { z } from 'zod';
import { matchColours, type PatchColour, type WorkingSpace } from '@tawny/core';
import { printResult } from '../output';
import { readJson } from '../readJson';

const patch = z.looseObject({
  name: z.string().min(1),
  r: z.number(),
  g: z.number(),
  b: z.number(),
  sigma: z.tuple([z.number().min(0), z.number().min(0), z.number().min(0)]).default([0, 0, 0]),
  clippedShare: z.number().min(0).max(1).default(0),
});
/** What `patches` prints, or its list alone. */
const patchesSchema = z
  .union([z.array(patch), z.looseObject({ patches: z.array(patch) })])
  .transform((v) => (Array.isArray(v) ? v : v.patches));

/** Mean CIEDE2000 that a matrix leaves between a chart and its own reference, beyond which it is another chart or lies otherwise. */
const ANOTHER_CHART = 9;

const coloursOf = (patches: z.output<typeof patchesSchema>): PatchColour[] =>
  patches.map(({ name, r, g, b, sigma, clippedShare }) => ({ name, rgb: [r, g, b], sigma, clippedShare }));

interface Flags {
  plate: string;
  panorama: string;
  reference?: string;
  keepWhite?: boolean;
  primaries: string;
  json?: boolean;
}

export function addColourMatch(program: Command): void {
  program
    .command('colour-match')
    .description("gain and 3 x 3 matrix from a panorama's patches to a plate's: plate = 2^gainStops M panorama")
    .requiredOption('--plate <file>', 'patches of the plate, as `patches` prints them')
    .requiredOption('--panorama <file>', 'the same patches in the panorama')
    .option('--reference <file>', 'the chart as it was measured, in the same primaries: tells a chart of another kind')
    .option('--keep-white', 'meet the brightest neutral exactly')
    .option('--primaries <set>', 'rec709 or acescg: what the patches are in', 'rec709')
    .option('--json', 'print one JSON object')
    .action(async (o: Flags) => {
      if (o.primaries !== 'rec709' && o.primaries !== 'acescg')
        throw new RangeError(`--primaries is rec709 or acescg, not ${o.primaries}`);
      const space: WorkingSpace = o.primaries;
      const [plate, panorama] = [await readJson(o.plate, patchesSchema), await readJson(o.panorama, patchesSchema)].map(
        coloursOf,
      );
      if (o.reference !== undefined) {
        const reference = coloursOf(await readJson(o.reference, patchesSchema));
        for (const [of, patches] of [
          ['plate', plate],
          ['panorama', panorama],
        ] as const) {
          const { mean } = matchColours(reference, patches, space).deltaE2000;
          if (mean > ANOTHER_CHART)
            throw new RangeError(
              `the patches of the ${of} are not those of the reference (${mean.toFixed(1)} of CIEDE2000 remain): a chart of another kind, or its corners were marked in another order`,
            );
        }
      }
      const match = matchColours(plate, panorama, space, { keepWhite: o.keepWhite === true });
      printResult({ ...match }, o.json === true);
    });
}
