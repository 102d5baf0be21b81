import fs from 'node:fs/promises';
import path from 'node:path';
import type { Command } from 'commander';
import { responseOfFiles } from '@tawny/pipeline';
import { statedCurve, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { printResult } from '../output';

export function addResponse(program: Command): void {
  withDecodingOptions(
    program
      .command('response <files...>')
      .description(
        'recover the response of an 8-bit camera and the true ratios of its exposures from bracketed frames',
      ),
  )
    .requiredOption('--out <file>', 'JSON file with one table a channel (256 linear values)')
    .option('--json', 'print one JSON object')
    .action(async (files: string[], o: DecodingFlags & { out: string; json?: boolean }) => {
      const r = await responseOfFiles(
        files.map((f) => ({ path: f, name: path.basename(f) })),
        await statedCurve(o),
      );
      const [red, green, blue] = r.tables.map((t) => Array.from(t, (v) => Number(v.toPrecision(7))));
      await fs.writeFile(
        o.out,
        `${JSON.stringify({ red, green, blue, exposureFactors: r.exposureFactors, exposures: r.exposures }, null, 1)}\n`,
      );
      printResult(
        {
          file: o.out,
          exposureFactors: r.exposureFactors,
          departureStops: r.departureStops,
          residualStops: r.residualStops,
          residualRatio: r.residualRatio,
          covered: r.covered,
          toneMapped: r.toneMapped,
          samples: r.samples,
        },
        o.json === true,
      );
    });
}
