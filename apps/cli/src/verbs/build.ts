import fs from 'node:fs/promises';
import path from 'node:path';
import type { Command } from 'commander';
import { NOMINAL_LUMINANCE_PER_UNIT, WORKING_SPACES } from '@tawny/core';
import { FileProblem, writeExr } from '@tawny/formats';
import { buildPanorama, inspectPanorama, parseRig, type BuildOptions, type Rig } from '@tawny/pipeline';
import { number, whole } from '../options';
import { printResult, say } from '../output';
import { sunJson } from '../sunJson';

interface BuildFlags {
  out: string;
  width: number;
  rig?: string;
  projection?: string;
  fov?: number;
  views?: number;
  ghost: string;
  nadir: string;
  camera: string;
  geometry: string;
  json?: boolean;
}

/** @throws RangeError naming the flag whose word is not known */
function buildOptions(o: BuildFlags): BuildOptions {
  const word = <const T extends readonly string[]>(flag: string, value: string, known: T): T[number] => {
    if (!known.includes(value)) throw new RangeError(`--${flag} is ${known.join(' or ')}, not ${value}`);
    return value;
  };
  return {
    ghosts: word('ghost', o.ghost, ['on', 'off']) === 'on', nadir: word('nadir', o.nadir, ['fill', 'keep']), camera: word('camera', o.camera, ['file', 'round']),
    geometry: word('geometry', o.geometry, ['metadata', 'features', 'refined']),
  };
}

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
    .option('--projection <name>', 'lens guess instead of a rig file: equidistant, equisolid, stereographic, orthographic, rectilinear, latlong')
    .option('--fov <deg>', 'with --projection: field of view, degrees', number)
    .option('--views <n>', 'with --projection: number of views', whole)
    .option('--ghost <on|off>', 'take out what moved within a bracket', 'on')
    .option('--nadir <fill|keep>', 'fill what no view saw from around it, or leave it black', 'keep')
    .option('--camera <source>', 'believe the file (stated curve and exposures) or the round (measured)', 'round')
    .option('--geometry <source>', 'metadata, features, or refined (both)', 'refined')
    .option('--json', 'print one JSON object')
    .action(async (dir: string, o: BuildFlags) => {
      const rig = o.projection ? parseRig({ projection: o.projection, fovDeg: o.fov, views: o.views }, '--projection') : await readRig(o.rig ?? path.join(dir, 'rig.json'));
      const names = (await fs.readdir(dir)).filter((n) => PICTURES.test(n)).sort();
      if (names.length === 0) throw new FileProblem('unsupported', path.basename(dir), 'holds no JPEG, PNG or TIFF frames');
      const started = Date.now();
      const built = await buildPanorama({ files: names.map((name) => ({ name, path: path.join(dir, name) })), rig, width: o.width, options: buildOptions(o) }, { onLog: say });
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
          seamStops: built.seamStops, lightDriftStops: built.lightDriftStops, ghostFraction: built.ghostFraction, exposureFactors: built.exposureFactors,
          responseDepartureStops: built.responseDepartureStops, focalScale: built.focalScale, pointingSigmaDeg: built.pointingSigmaDeg, illuminanceHorizontal: seen.illuminanceHorizontal,
          nominalCdPerUnit: NOMINAL_LUMINANCE_PER_UNIT, meanLuminance: seen.statistics.meanLuminance, sun: sunJson(seen.sun),
          elapsedS: (Date.now() - started) / 1000, warnings: built.warnings,
        },
        o.json === true,
      );
    });
}

