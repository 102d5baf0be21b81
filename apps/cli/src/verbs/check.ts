import type { Command } from 'commander';
import { checkPanorama, readPanorama } from '@tawny/pipeline';
import { statedDecoding, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { printResult } from '../output';
import { sunJson } from '../sunJson';

export function addCheck(program: Command): void {
  withDecodingOptions(
    program
      .command('check <file>')
      .description(
        'check sheet of a latitude-longitude panorama (.exr or .hdr): each quantity with a verdict and what to do',
      ),
  )
    .option('--json', 'print one JSON object')
    .action(async (file: string, o: DecodingFlags & { json?: boolean }) => {
      const { image, attributes, odd } = await readPanorama(file, undefined, await statedDecoding(o));
      const { checks, inspection } = checkPanorama(image, attributes, { odd });
      const worst = checks.some((c) => c.verdict === 'lost')
        ? 'lost'
        : checks.some((c) => c.verdict === 'doubtful')
          ? 'doubtful'
          : 'good';
      if (o.json) {
        printResult(
          {
            file,
            widthPx: inspection.widthPx,
            heightPx: inspection.heightPx,
            verdict: worst,
            highlightsLost: checks.some((c) => c.name === 'clipped' && c.verdict === 'lost'),
            checks,
            sun: sunJson(inspection.sun, image.space),
          },
          true,
        );
        return;
      }
      for (const c of checks)
        process.stdout.write(
          `${c.verdict.padEnd(9)} ${c.name.padEnd(14)} ${c.value === null ? '-' : Number(c.value.toPrecision(4))} ${c.unit}: ${c.words}\n`,
        );
    });
}
