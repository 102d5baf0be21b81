import fs from 'node:fs/promises';
import path from 'node:path';
import type { Command } from 'commander';
import { writeExr } from '@tawny/formats';
import { mergeFiles } from '@tawny/pipeline';
import { number } from '../options';
import { statedCurve, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { printResult, say } from '../output';

export function addMerge(program: Command): void {
  withDecodingOptions(
    program
      .command('merge <files...>')
      .description('merge one bracket to a linear picture: value per unit photometric exposure'),
  )
    .requiredOption('--out <file>', 'OpenEXR file to write')
    .option('--nd <stops>', 'neutral density on the lens, stops', number, 0)
    .option('--camera <source>', 'believe the file (stated curve and exposures) or the round (measured)', 'round')
    .option('--moved <on|off>', 'take out what moved between the frames', 'on')
    .option('--json', 'print one JSON object')
    .action(
      async (
        files: string[],
        o: DecodingFlags & { out: string; nd: number; camera: string; moved: string; json?: boolean },
      ) => {
        const merged = await mergeFiles(
          files.map((f) => ({ path: f, name: path.basename(f) })),
          {
            meaning: await statedCurve(o),
            ndStops: o.nd,
            camera: o.camera === 'file' ? 'file' : 'round',
            takeOut: o.moved !== 'off',
          },
          { onLog: say },
        );
        await fs.writeFile(
          o.out,
          await writeExr(merged.image, {
            comments: 'relative: linear value per unit photometric exposure',
          }),
        );
        const { image: _image, ...facts } = merged;
        printResult({ file: o.out, ...facts }, o.json === true);
      },
    );
}
