import type { Command } from 'commander';
import { standardAir, sunPosition } from '@tawny/core';
import { instant, number, place, withPlaceOptions, type PlaceOptions } from '../options';
import { printResult } from '../output';

export function addSun(program: Command): void {
  withPlaceOptions(program.command('sun').description('apparent, topocentric position of the sun'))
    .requiredOption('--utc <time>', 'instant', instant)
    .option('--pressure <hpa>', 'air pressure; default: standard for the altitude', number)
    .option('--temperature <c>', 'air temperature; default: standard for the altitude', number)
    .option('--json', 'print one JSON object')
    .action((o: PlaceOptions & { utc: Date; pressure?: number; temperature?: number; json?: boolean }) => {
      const standard = standardAir(o.alt);
      const air = {
        pressureHpa: o.pressure ?? standard.pressureHpa,
        temperatureC: o.temperature ?? standard.temperatureC,
      };
      const sun = sunPosition(place(o), o.utc, air);
      printResult(
        {
          utc: o.utc.toISOString(),
          azimuthDeg: sun.azimuthDeg,
          elevationDeg: sun.elevationDeg,
          trueElevationDeg: sun.trueElevationDeg,
          diameterDeg: sun.diameterDeg,
          distanceAu: sun.distanceAu,
        },
        o.json === true,
      );
    });
}
