import type { Command } from 'commander';
import { standardAir, sunPosition } from '@tawny/core';
import { instant, number, place, type PlaceOptions } from '../options';
import { printResult } from '../output';

export function addSun(program: Command): void {
  program
    .command('sun')
    .description('apparent, topocentric position of the sun')
    .requiredOption('--lat <deg>', 'geodetic latitude, north positive', number)
    .requiredOption('--lon <deg>', 'longitude, east positive', number)
    .option('--alt <m>', 'metres above sea level', number, 0)
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
