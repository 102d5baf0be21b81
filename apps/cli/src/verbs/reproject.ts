import fs from 'node:fs/promises';
import type { Command } from 'commander';
import { normalizeQuaternion, quaternionFromAttitude, throughLens, turnKeepingFlux } from '@tawny/core';
import { writeExr } from '@tawny/formats';
import { inspectPanorama, readPanorama } from '@tawny/pipeline';
import { statedDecoding, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { lensSchema, onPicture } from '../lensFile';
import { number, numberList, whole } from '../options';
import { printResult } from '../output';
import { readJson } from '../readJson';

type Flags = DecodingFlags & {
  quaternion?: number[];
  view?: number[];
  focalPx?: number;
  width?: number;
  height?: number;
  lens?: string;
  out: string;
  json?: boolean;
};

export function addReproject(program: Command): void {
  withDecodingOptions(
    program
      .command('reproject <file>')
      .description('turn a panorama by a whole rotation, its flux kept, or look at it through a lens'),
  )
    .option('--quaternion <x,y,z,w>', 'what stood in direction d stands at q d', numberList(4))
    .option('--view <heading,tilt,roll>', 'degrees: the picture of a camera that lies so', numberList(3))
    .option('--focal-px <px>', 'focal length of the view, pixels', number)
    .option('--width <px>', 'width of the view', whole)
    .option('--height <px>', 'height of the view', whole)
    .option('--lens <file>', 'JSON of a measured lens: its focal length, centre and distortion')
    .requiredOption('--out <file>', 'OpenEXR file to write')
    .option('--json', 'print one JSON object')
    .action(async (file: string, o: Flags) => {
      if ((o.quaternion === undefined) === (o.view === undefined))
        throw new RangeError('state either --quaternion or --view');
      const { image, attributes } = await readPanorama(file, undefined, await statedDecoding(o));
      const { compression: _read, ...kept } = attributes as typeof attributes & { compression?: string };
      if (o.quaternion) {
        const [x, y, z, w] = o.quaternion;
        const { sun } = inspectPanorama(image, attributes);
        const turned = turnKeepingFlux(image, normalizeQuaternion([x, y, z, w]), sun);
        await fs.writeFile(o.out, await writeExr(turned, { ...kept, latlong: true, northAligned: false }));
        printResult({ file: o.out, widthPx: turned.width, heightPx: turned.height }, o.json === true);
        return;
      }
      if (o.width === undefined || o.height === undefined) throw new RangeError('--view needs --width and --height');
      const lens = o.lens === undefined ? null : await readJson(o.lens, lensSchema);
      if (!lens && o.focalPx === undefined) throw new RangeError('--view needs --focal-px or --lens');
      const [headingDeg, tiltDeg, rollDeg] = o.view!;
      const optics = lens
        ? onPicture(lens, o.width, o.height)
        : {
            focalXPx: o.focalPx!,
            focalYPx: o.focalPx!,
            centreXPx: o.width / 2,
            centreYPx: o.height / 2,
            distortion: null,
          };
      const camera = { ...optics, widthPx: o.width, heightPx: o.height };
      const seen = throughLens(image, quaternionFromAttitude({ headingDeg, tiltDeg, rollDeg }), camera);
      await fs.writeFile(o.out, await writeExr(seen, { ...kept, latlong: false, northAligned: false }));
      printResult({ file: o.out, widthPx: seen.width, heightPx: seen.height }, o.json === true);
    });
}
