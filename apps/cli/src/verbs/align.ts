import fs from 'node:fs/promises';
import type { Command } from 'commander';
import { expectedHeight, northFromSun, turnPanorama } from '@tawny/core';
import { writeExr } from '@tawny/formats';
import { inspectPanorama, readPanorama } from '@tawny/pipeline';
import { instant, number, place, type PlaceOptions } from '../options';
import { statedDecoding, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { printResult } from '../output';
import { sunJson } from '../sunJson';

export function addAlign(program: Command): void {
  withDecodingOptions(
    program.command('align <file>').description('turn a panorama to true north by its sun and write it'),
  )
    .requiredOption('--lat <deg>', 'geodetic latitude, north positive', number)
    .requiredOption('--lon <deg>', 'longitude, east positive', number)
    .option('--alt <m>', 'metres above sea level', number, 0)
    .requiredOption('--utc <time>', 'instant of the panorama', instant)
    .requiredOption('--out <file>', 'OpenEXR file to write')
    .option('--level <deg>', '95 % uncertainty of the level; unknown when left out', number)
    .option('--clock <s>', '95 % uncertainty of the clock; unknown when left out', number)
    .option('--json', 'print one JSON object')
    .action(
      async (
        file: string,
        o: PlaceOptions & DecodingFlags & { utc: Date; out: string; level?: number; clock?: number; json?: boolean },
      ) => {
        const { image, attributes } = await readPanorama(file, undefined, await statedDecoding(o));
        const where = place(o);
        const known = { place: where, utc: o.utc, levelDeg: o.level ?? null, clockS: o.clock ?? null };
        const { sun } = inspectPanorama(image, attributes, expectedHeight(known));
        if (!sun) throw new RangeError(`${file}: no sun is seen in the panorama; north must come from another source`);
        const north = northFromSun({ detected: sun, ...known });
        const { compression: _read, ...kept } = attributes as typeof attributes & { compression?: string };
        await fs.writeFile(
          o.out,
          await writeExr(turnPanorama(image, north.yawDeg), {
            ...kept,
            latlong: true,
            northAligned: true,
            latitudeDeg: where.latitudeDeg,
            longitudeDeg: where.longitudeDeg,
            altitudeM: where.altitudeM,
            capDate: o.utc.toISOString().slice(0, 19).replace(/-/g, ':').replace('T', ' '),
            utcOffsetS: 0,
          }),
        );
        printResult(
          {
            file: o.out,
            yawDeg: north.yawDeg,
            uncertaintyDeg: north.uncertaintyDeg,
            azimuthDeg: north.computed.azimuthDeg,
            elevationDeg: north.computed.elevationDeg,
            elevationDifferenceDeg: north.elevationDifferenceDeg,
            elevationToleranceDeg: north.elevationToleranceDeg,
            agrees: north.agrees,
            sun: sunJson(sun, image.space, attributes.whiteLuminance),
          },
          o.json === true,
        );
      },
    );
}
