import fs from 'node:fs/promises';
import path from 'node:path';
import { InvalidArgumentError, type Command } from 'commander';
import { unwrapBall, WORKING_SPACES } from '@tawny/core';
import { writeExr } from '@tawny/formats';
import { readLinearPicture } from '@tawny/pipeline';
import { number, whole } from '../options';
import { printResult } from '../output';

function circle(text: string): [number, number, number] {
  const v = text.split(',').map(Number);
  if (v.length !== 3 || !v.every(Number.isFinite)) throw new InvalidArgumentError('expected x,y,radius in pixels');
  return v as [number, number, number];
}

export function addUnwrapBall(program: Command): void {
  program
    .command('unwrap-ball <file>')
    .description('unwrap the photograph of a chrome ball to a latitude-longitude panorama; the camera\'s heading stands at azimuth 0')
    .requiredOption('--circle <x,y,r>', 'outline of the ball in the upright picture, pixels', circle)
    .requiredOption('--focal-px <px>', 'focal length in pixels (focal length / sensor width x picture width)', number)
    .requiredOption('--out <file>', 'OpenEXR file to write')
    .option('--width <px>', 'panorama width', whole, 1024)
    .option('--reflectance <share>', 'reflectance of the ball', number, 0.62)
    .option('--json', 'print one JSON object')
    .action(async (file: string, o: { circle: [number, number, number]; focalPx: number; out: string; width: number; reflectance: number; json?: boolean }) => {
      const picture = await readLinearPicture(file);
      const [centreX, centreY, radiusPx] = o.circle;
      const u = unwrapBall(picture, { centreX, centreY, radiusPx }, o.focalPx, o.width, o.reflectance);
      await fs.writeFile(o.out, await writeExr(u.panorama, { chromaticities: WORKING_SPACES.rec709.chromaticities, latlong: true, northAligned: false, comments: `unwrapped from ${path.basename(file)}; black where the ball hides` }));
      printResult({ file: o.out, widthPx: o.width, heightPx: o.width / 2, blindConeDeg: u.blindConeDeg, pxPerDegreeTowardsCamera: u.pxPerDegree.towardsCamera, pxPerDegreeSideways: u.pxPerDegree.sideways }, o.json === true);
    });
}
