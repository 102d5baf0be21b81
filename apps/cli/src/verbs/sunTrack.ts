import type { Command } from 'commander';
import { stickShadow, sunPosition } from '@tawny/core';
import { instant, number, place, withPlaceOptions, type PlaceOptions } from '../options';
import { printResult } from '../output';

/** More are asked by mistake: a day has 86 400 seconds. */
const MOST_SAMPLES = 100000;

export function addSunTrack(program: Command): void {
  withPlaceOptions(
    program
      .command('sun-track')
      .description('the sun over a span of time, and the shadow of an upright stick of one metre'),
  )
    .requiredOption('--from <time>', 'first instant', instant)
    .requiredOption('--to <time>', 'last instant', instant)
    .requiredOption('--step-s <s>', 'seconds between samples', number)
    .option('--json', 'print one JSON object')
    .action((o: PlaceOptions & { from: Date; to: Date; stepS: number; json?: boolean }) => {
      const where = place(o);
      const spanS = (o.to.getTime() - o.from.getTime()) / 1000;
      if (!(o.stepS > 0)) throw new RangeError('--step-s must be more than 0');
      if (spanS < 0) throw new RangeError('--to is before --from');
      const count = Math.floor(spanS / o.stepS + 1e-9) + 1;
      if (count > MOST_SAMPLES) throw new RangeError(`that makes ${count} samples: at most ${MOST_SAMPLES}`);
      const samples = Array.from({ length: count }, (_, k) => {
        const utc = new Date(o.from.getTime() + Math.round(1000 * k * o.stepS));
        const sun = sunPosition(where, utc);
        const shadow = stickShadow(sun, 1);
        return {
          utc: utc.toISOString(),
          azimuthDeg: sun.azimuthDeg,
          elevationDeg: sun.elevationDeg,
          shadowLengthM: shadow?.lengthM ?? null,
          shadowAzimuthDeg: shadow?.azimuthDeg ?? null,
        };
      });
      printResult({ samples }, o.json === true);
    });
}
