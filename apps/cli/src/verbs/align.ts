import fs from 'node:fs/promises';
import type { Command } from 'commander';
import {
  expectedHeight,
  northFromSun,
  solveOrientation,
  turnKeepingFlux,
  turnPanorama,
  type Place,
  type RgbImage,
} from '@tawny/core';
import { writeExr, type PanoramaAttributes } from '@tawny/formats';
import { inspectPanorama, readPanorama } from '@tawny/pipeline';
import { statedDecoding, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { instant, number, place } from '../options';
import { orientationFileSchema, sourcesOf, whenAndWhere } from '../orientationFile';
import { printResult, say } from '../output';
import { readJson } from '../readJson';
import { sunJson } from '../sunJson';

type Flags = DecodingFlags & {
  out: string;
  sources?: string;
  lat?: number;
  lon?: number;
  alt: number;
  utc?: Date;
  level?: number;
  clock?: number;
  json?: boolean;
};

export function addAlign(program: Command): void {
  withDecodingOptions(
    program
      .command('align <file>')
      .description('turn a panorama to true north by its sun, or to the world by any sources, and write it'),
  )
    .option(
      '--sources <file>',
      'JSON of everything that speaks of how it lies: sun, level, compass, marks, picks, verticals, hand. Of picks: a plate without headingDeg looks along azimuth 0 of the set frame',
    )
    .option('--lat <deg>', 'geodetic latitude, north positive (without --sources)', number)
    .option('--lon <deg>', 'longitude, east positive (without --sources)', number)
    .option('--alt <m>', 'metres above sea level', number, 0)
    .option('--utc <time>', 'instant of the panorama (without --sources)', instant)
    .requiredOption('--out <file>', 'OpenEXR file to write; with --sources it is not written while they contradict')
    .option('--level <deg>', '95 % uncertainty of the level; unknown when left out', number)
    .option('--clock <s>', '95 % uncertainty of the clock; unknown when left out', number)
    .option('--json', 'print one JSON object')
    .action((file: string, o: Flags) => (o.sources === undefined ? bySun(file, o) : bySources(file, o, o.sources)));
}

/** What a turned panorama says of itself. */
async function write(
  out: string,
  image: RgbImage,
  attributes: PanoramaAttributes,
  known: { place: Place; utc: Date } | null,
  northAligned: boolean,
): Promise<void> {
  const { compression: _read, ...kept } = attributes as typeof attributes & { compression?: string };
  const when = known && {
    latitudeDeg: known.place.latitudeDeg,
    longitudeDeg: known.place.longitudeDeg,
    altitudeM: known.place.altitudeM,
    capDate: known.utc.toISOString().slice(0, 19).replace(/-/g, ':').replace('T', ' '),
    utcOffsetS: 0,
  };
  await fs.writeFile(out, await writeExr(image, { ...kept, latlong: true, northAligned, ...when }));
}

async function bySun(file: string, o: Flags): Promise<void> {
  if (o.lat === undefined || o.lon === undefined || !o.utc)
    throw new RangeError('state --lat, --lon and --utc, or --sources FILE');
  const { image, attributes } = await readPanorama(file, undefined, await statedDecoding(o));
  const where = place({ lat: o.lat, lon: o.lon, alt: o.alt });
  const known = { place: where, utc: o.utc, levelDeg: o.level ?? null, clockS: o.clock ?? null };
  const { sun } = inspectPanorama(image, attributes, expectedHeight(known));
  if (!sun) throw new RangeError(`${file}: no sun is seen in the panorama; north must come from another source`);
  const north = northFromSun({ detected: sun, ...known });
  await write(o.out, turnPanorama(image, north.yawDeg), attributes, known, true);
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
}

async function bySources(file: string, o: Flags, sourcesFile: string): Promise<void> {
  const stated = await readJson(sourcesFile, orientationFileSchema);
  const { image, attributes } = await readPanorama(file, undefined, await statedDecoding(o));
  const known = whenAndWhere(stated);
  const expected = known && expectedHeight({ ...known, levelDeg: stated.level?.uncertaintyDeg ?? null });
  // A sun turns as a light, whether or not it was asked for north.
  const seen = inspectPanorama(image, attributes, expected).sun;
  const sun = stated.sun === true ? seen : stated.sun || null;
  if (stated.sun === true && !seen) say(`tawny: ${file}: no sun is seen in the panorama; the other sources are used`);
  const solved = solveOrientation(sourcesOf(stated, image.width, sun));
  const contradicts = solved.verdict === 'disagrees';
  if (contradicts)
    say('tawny: the sources contradict each other: nothing is written until one is chosen and the others are left out');
  else await write(o.out, turnKeepingFlux(image, solved.turn, seen), attributes, known, solved.frame === 'trueNorth');
  printResult(
    {
      file: contradicts ? null : o.out,
      quaternion: [...solved.turn],
      yawDeg: solved.yawDeg,
      frame: solved.frame,
      uncertaintyDeg: solved.uncertaintyDeg,
      uncertaintyTiltDeg: solved.uncertaintyTiltDeg,
      verdict: solved.verdict,
      cause: solved.cause,
      plateHeadingDeg: solved.plateHeadingDeg,
      degenerate: solved.degenerate,
      sources: solved.sources.map(({ name, residualDeg, weight, outlier, cause }) => ({
        name,
        residualDeg,
        weight,
        outlier,
        cause,
      })),
    },
    o.json === true,
  );
}
