import fs from 'node:fs/promises';
import path from 'node:path';
import type { Command } from 'commander';
import { NOMINAL_LUMINANCE_PER_UNIT, WORKING_SPACES } from '@tawny/core';
import { FileProblem, writeExr } from '@tawny/formats';
import { buildPanorama, inspectPanorama, parseRig, type Rig } from '@tawny/pipeline';
import { whole } from '../options';
import { printResult, say } from '../output';
import { sunJson } from '../sunJson';

const PICTURES = /\.(jpe?g|png|tiff?)$/i;

async function readRig(file: string): Promise<Rig> {
  const name = path.basename(file);
  const text = await fs.readFile(file, 'utf8').catch(() => {
    throw new FileProblem('unsupported', name, 'there is no such rig file; state the rig with --rig FILE: {"projection","fovDeg","views"}');
  });
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new FileProblem('unsupported', name, `is not JSON (${(error as Error).message})`);
  }
  return parseRig(value, name);
}

export function addBuild(program: Command): void {
  program
    .command('build <dir>')
    .description('build a linear latitude-longitude panorama from the bracketed frames of a round')
    .requiredOption('--out <file>', 'OpenEXR file to write')
    .option('--width <px>', 'panorama width', whole, 4096)
    .option('--rig <file>', 'rig file {"projection","fovDeg","views"}; default: rig.json in the folder')
    .option('--json', 'print one JSON object')
    .action(async (dir: string, o: { out: string; width: number; rig?: string; json?: boolean }) => {
      const rig = await readRig(o.rig ?? path.join(dir, 'rig.json'));
      const names = (await fs.readdir(dir)).filter((n) => PICTURES.test(n)).sort();
      if (names.length === 0) throw new FileProblem('unsupported', path.basename(dir), 'holds no JPEG, PNG or TIFF frames');
      const started = Date.now();
      const built = await buildPanorama({ files: names.map((name) => ({ name, path: path.join(dir, name) })), rig, width: o.width }, { onLog: say });
      const attributes = {
        chromaticities: WORKING_SPACES.rec709.chromaticities, latlong: true, clippedSr: built.clippedSr, northAligned: false,
        comments: 'relative: linear value per unit photometric exposure',
      };
      await fs.writeFile(o.out, await writeExr(built.panorama, attributes));
      const seen = inspectPanorama(built.panorama, attributes);
      printResult(
        {
          file: o.out, widthPx: o.width, heightPx: o.width / 2, views: built.views.length, framesPerView: built.bracketFrames,
          dynamicRangeStops: seen.statistics.dynamicRangeStops, clippedSr: built.clippedSr, uncoveredSr: built.uncoveredSr,
          seamStops: built.seamStops, pointingSigmaDeg: built.pointingSigmaDeg, illuminanceHorizontal: seen.illuminanceHorizontal,
          nominalCdPerUnit: NOMINAL_LUMINANCE_PER_UNIT, meanLuminance: seen.statistics.meanLuminance, sun: sunJson(seen.sun),
          elapsedS: (Date.now() - started) / 1000, warnings: built.warnings,
        },
        o.json === true,
      );
    });
}

