import fs from 'node:fs/promises';
import path from 'node:path';
import type { Command } from 'commander';
import { writeExr } from '@tawny/formats';
import {
  createScene,
  DEMO_PLACE,
  DEMO_STATION,
  simulateRound,
  truthPanorama,
  type FrameKind,
  type SetSpec,
} from '@tawny/pipeline';
import { instant, number, whole } from '../options';
import { printResult, say } from '../output';

interface Options {
  scene: string;
  seed: number;
  views: number;
  frames: number;
  stepEv: number;
  width: number;
  out: string;
  utc: Date;
  turbidity: number;
  pointingError: number;
  format: string;
  lamps: string;
  json?: boolean;
}

const FORMATS = ['jpeg', 'tiff', 'dng'];
/** Where the camera stands in the loft. */
const LOFT_STATION = { eastM: 0, upM: 1.6, northM: -0.6 };

/** Default instant: a low autumn sun over the quay. */
const DEFAULT_UTC = '2026-10-14T15:20:00Z';

export function addSimulate(program: Command): void {
  program
    .command('simulate')
    .description('photograph the simulated set: frames, rig.json, truth.exr (north-aligned, cd/m2) and truth.json')
    .requiredOption('--out <dir>', 'folder that receives the files')
    .option('--scene <name>', 'scene: quay or netLoft', 'quay')
    .option('--lamps <on|off>', 'lamps of the net loft', 'on')
    .option('--seed <n>', 'seed: the same gives the same files', whole, 1)
    .option('--views <n>', 'views around', whole, 6)
    .option('--frames <n>', 'frames a view', whole, 7)
    .option('--step-ev <ev>', 'EV between frames', number, 2)
    .option('--width <px>', 'long side of a frame, and width of the truth panorama', whole, 2048)
    .option('--utc <time>', 'instant', instant, instant(DEFAULT_UTC))
    .option('--turbidity <t>', 'haze of the air, 2 to 8', number, 3)
    .option('--pointing-error <deg>', 'one-sigma error of each view, degrees', number, 0.12)
    .option(
      '--format <kind>',
      'jpeg (8 bit, sRGB curve), tiff (14 bit linear in 16) or dng (14 bit linear raw)',
      'jpeg',
    )
    .option('--json', 'print one JSON object')
    .action(async (o: Options) => {
      if (o.scene !== 'quay' && o.scene !== 'netLoft')
        throw new RangeError(`there is no scene "${o.scene}"; there are: quay, netLoft`);
      if (!FORMATS.includes(o.format)) throw new RangeError(`format must be ${FORMATS.join(', ')}, not "${o.format}"`);
      const station = o.scene === 'netLoft' ? LOFT_STATION : DEMO_STATION;
      if (!(o.turbidity >= 2 && o.turbidity <= 8))
        throw new RangeError(`turbidity must be between 2 and 8, not ${o.turbidity}`);
      const spec: SetSpec = {
        scene: o.scene,
        ...(o.scene === 'netLoft' ? { lampsOn: o.lamps !== 'off' } : {}),
        seed: o.seed,
        place: DEMO_PLACE,
        utc: o.utc.toISOString(),
        turbidity: o.turbidity,
      };
      let stage = '';
      const control = {
        onProgress: (p: { stage: string }) => {
          if (p.stage !== stage) say((stage = p.stage));
        },
      };
      createScene(spec);
      const round = await simulateRound(
        {
          spec,
          station,
          views: o.views,
          frames: o.frames,
          stepEv: o.stepEv,
          width: o.width,
          kind: o.format as FrameKind,
          utcOffsetMinutes: 60,
          pointingErrorDeg: o.pointingError,
        },
        control,
      );
      const truth = await truthPanorama(spec, station, o.width, control);
      await fs.mkdir(o.out, { recursive: true });
      for (const f of round.files) await fs.writeFile(path.join(o.out, f.name), f.bytes);
      await fs.writeFile(path.join(o.out, 'rig.json'), `${JSON.stringify(round.rig, null, 2)}\n`);
      await fs.writeFile(path.join(o.out, 'truth.json'), `${JSON.stringify(round.truth, null, 2)}\n`);
      await fs.writeFile(
        path.join(o.out, 'truth.exr'),
        await writeExr(truth, {
          whiteLuminance: 1,
          latlong: true,
          latitudeDeg: spec.place.latitudeDeg,
          longitudeDeg: spec.place.longitudeDeg,
          altitudeM: spec.place.altitudeM,
          clippedSr: 0,
          northAligned: true,
        }),
      );
      const { exposures, attitudes, ...facts } = round.truth;
      printResult(
        {
          folder: o.out,
          files: round.files.length,
          views: attitudes.length,
          framesPerView: exposures.length / attitudes.length,
          widthPx: o.width,
          ...facts,
        },
        o.json === true,
      );
    });
}
