import type { Command } from 'commander';
import { directionFromAngles, illuminance, luminance } from '@tawny/core';
import { readPanorama } from '@tawny/pipeline';
import { statedDecoding, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { numberList } from '../options';
import { printResult } from '../output';

export function addIlluminance(program: Command): void {
  withDecodingOptions(
    program
      .command('illuminance <file>')
      .description("light that a panorama throws on a plane: panorama unit x sr, lux where the panorama is in cd/m2"),
  )
    .requiredOption('--normal <azDeg,elDeg>', 'where the plane faces', numberList(2))
    .option('--json', 'print one JSON object')
    .action(async (file: string, o: DecodingFlags & { normal: number[]; json?: boolean }) => {
      const [azimuthDeg, elevationDeg] = o.normal;
      if (Math.abs(elevationDeg) > 90) throw new RangeError(`--normal: an elevation lies from -90 to 90, not at ${elevationDeg}`);
      const { image, attributes, odd } = await readPanorama(file, undefined, await statedDecoding(o));
      const rgb = illuminance(image, directionFromAngles(azimuthDeg, elevationDeg));
      const total = luminance(...rgb, image.space);
      printResult(
        {
          file,
          illuminance: total,
          rgb,
          lux: attributes.whiteLuminance === undefined ? null : total * attributes.whiteLuminance,
          oddValues: odd,
        },
        o.json === true,
      );
    });
} // prettier-ignore
