import fs from 'node:fs/promises';
import type { Command } from 'commander';
import { rigGlare } from '@tawny/pipeline';
import { number } from '../options';
import { statedDecoding, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { printResult } from '../output';
import { readRig } from '../readRig';

export function addGlare(program: Command): void {
  withDecodingOptions(
    program
      .command('glare <open> <covered>')
      .description(
        'measure the veiling glare of a rig from two merged views of the same look: the sun seen, and covered',
      ),
  )
    .requiredOption('--rig <file>', 'rig file; its glare is measured')
    .option('--cover <deg>', 'angle around the sun that the cover hides, degrees', number, 5)
    .option('--out <file>', 'rig file to write, with the measured glare in it')
    .option('--json', 'print one JSON object')
    .action(
      async (
        open: string,
        covered: string,
        o: DecodingFlags & { rig: string; cover: number; out?: string; json?: boolean },
      ) => {
        const rig = await readRig(o.rig);
        const found = await rigGlare(open, covered, rig, o.cover, await statedDecoding(o));
        if (o.out)
          await fs.writeFile(
            o.out,
            `${JSON.stringify({ ...rig, glare: { curve: found.curve, measuredOn: new Date().toISOString().slice(0, 10) } }, null, 2)}\n`,
          );
        printResult(
          {
            share: found.share,
            sourcePx: [found.source.x, found.source.y],
            curve: found.curve.map((c) => `${c.angleDeg.toFixed(0)}°: ${c.perSr.toExponential(2)}`),
            ...(o.out ? { file: o.out } : {}),
          },
          o.json === true,
        );
      },
    );
}
