import type { Command } from 'commander';
import { inspectPanorama, readPanorama } from '@tawny/pipeline';
import { statedDecoding, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { printResult } from '../output';
import { sunJson } from '../sunJson';

export function addInspect(program: Command): void {
  withDecodingOptions(
    program
      .command('inspect <file>')
      .description(
        'size, range, clipping, sun and horizontal illuminance of a latitude-longitude panorama (.exr or .hdr)',
      ),
  )
    .option('--json', 'print one JSON object')
    .action(async (file: string, o: DecodingFlags & { json?: boolean }) => {
      const { image, attributes, odd } = await readPanorama(file, undefined, await statedDecoding(o));
      const seen = inspectPanorama(image, attributes);
      printResult(
        {
          file,
          widthPx: seen.widthPx,
          heightPx: seen.heightPx,
          dynamicRangeStops: seen.statistics.dynamicRangeStops,
          clippedSr: seen.clippedSr,
          maxLuminance: seen.statistics.maxLuminance,
          meanLuminance: seen.statistics.meanLuminance,
          illuminanceHorizontal: seen.illuminanceHorizontal,
          illuminanceUnit: seen.absolute ? 'lx' : 'relative',
          oddValues: odd,
          sun: sunJson(seen.sun, image.space, attributes.whiteLuminance),
        },
        o.json === true,
      );
    });
}
