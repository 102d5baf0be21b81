import fs from 'node:fs/promises';
import path from 'node:path';
import { InvalidArgumentError, type Command } from 'commander';
import { combineBalls, findBall, unwrapBall, type BallOutline } from '@tawny/core';
import { writeExr } from '@tawny/formats';
import { readLinearPicture } from '@tawny/pipeline';
import { number, whole } from '../options';
import { statedDecoding, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { printResult, say } from '../output';

function circle(text: string): [number, number, number] {
  const v = text.split(',').map(Number);
  if (v.length !== 3 || !v.every(Number.isFinite)) throw new InvalidArgumentError('expected x,y,radius in pixels');
  return v as [number, number, number];
}

interface Flags extends DecodingFlags {
  circle?: [number, number, number];
  second?: string;
  secondCircle?: [number, number, number];
  turn: number;
  focalPx: number;
  out: string;
  width: number;
  reflectance: number;
  json?: boolean;
}

async function unwrapped(file: string, outline: [number, number, number] | undefined, o: Flags) {
  const picture = await readLinearPicture(file, undefined, await statedDecoding(o));
  let ball: BallOutline;
  if (outline) ball = { centreX: outline[0], centreY: outline[1], radiusPx: outline[2] };
  else {
    const found = findBall(picture);
    say(
      `${path.basename(file)}: ball found at ${found.centreX.toFixed(1)}, ${found.centreY.toFixed(1)}, radius ${found.radiusPx.toFixed(1)} px; ${(100 * found.share).toFixed(0)} % of its outline shows an edge`,
    );
    ball = found;
  }
  return { ball, ...unwrapBall(picture, ball, o.focalPx, o.width, o.reflectance) };
}

export function addUnwrapBall(program: Command): void {
  withDecodingOptions(
    program
      .command('unwrap-ball <file>')
      .description(
        "unwrap the photograph of a chrome ball to a latitude-longitude panorama; the camera's heading stands at azimuth 0",
      ),
  )
    .option(
      '--circle <x,y,r>',
      'outline of the ball in the upright picture, pixels; left out, it is looked for',
      circle,
    )
    .option(
      '--second <file>',
      "another photograph of it from the side, against the camera's reflection and the blind cone",
    )
    .option('--second-circle <x,y,r>', 'outline in the second photograph', circle)
    .option('--turn <deg>', "heading of the second camera against the first's, clockwise", number, 120)
    .requiredOption('--focal-px <px>', 'focal length in pixels (focal length / sensor width x picture width)', number)
    .requiredOption('--out <file>', 'OpenEXR file to write')
    .option('--width <px>', 'panorama width', whole, 1024)
    .option('--reflectance <share>', 'reflectance of the ball', number, 0.62)
    .option('--json', 'print one JSON object')
    .action(async (file: string, o: Flags) => {
      const first = await unwrapped(file, o.circle, o);
      const result = o.second ? combineBalls(first, await unwrapped(o.second, o.secondCircle, o), o.turn) : first;
      await fs.writeFile(
        o.out,
        await writeExr(result.panorama, {
          latlong: true,
          northAligned: false,
          comments: `unwrapped from ${path.basename(file)}; black where the ball hides`,
        }),
      );
      printResult(
        {
          file: o.out,
          widthPx: o.width,
          heightPx: o.width / 2,
          circle: [first.ball.centreX, first.ball.centreY, first.ball.radiusPx],
          blindConeDeg: first.blindConeDeg,
          hiddenShare: result.mask.filter((m) => m === 2).length / result.mask.length,
          pxPerDegreeTowardsCamera: first.pxPerDegree.towardsCamera,
          pxPerDegreeSideways: first.pxPerDegree.sideways,
        },
        o.json === true,
      );
    });
}
