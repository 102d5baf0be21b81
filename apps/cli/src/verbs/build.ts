import fs from 'node:fs/promises';
import path from 'node:path';
import type { Command } from 'commander';
import { inSpace, NOMINAL_LUMINANCE_PER_UNIT, USUAL_MOVED_STOPS } from '@tawny/core';
import { encodePng, FileProblem, writeExr } from '@tawny/formats';
import {
  buildPanorama,
  inspectPanorama,
  measurePixels,
  parseRig,
  type BuildOptions,
  type ChosenArea,
} from '@tawny/pipeline';
import { number, whole } from '../options';
import { statedCurve, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { printResult, say } from '../output';
import { readRig } from '../readRig';
import { sunJson } from '../sunJson';

interface BuildFlags extends DecodingFlags {
  space: string;
  out: string;
  width: number;
  rig?: string;
  projection?: string;
  fov?: number;
  views?: number;
  moved: string;
  movedStops: number;
  tripod?: number;
  area?: string[];
  nadir: string;
  camera: string;
  geometry: string;
  level: string;
  measure?: string;
  work?: string;
  json?: boolean;
}

/** @throws RangeError naming the flag whose word is not known */
function buildOptions(o: BuildFlags): BuildOptions {
  const word = <const T extends readonly string[]>(flag: string, value: string, known: T): T[number] => {
    if (!known.includes(value)) throw new RangeError(`--${flag} is ${known.join(' or ')}, not ${value}`);
    return value;
  };
  return {
    moved: word('moved', o.moved, ['on', 'off']) === 'on',
    nadir: word('nadir', o.nadir, ['fill', 'keep']),
    camera: word('camera', o.camera, ['file', 'round']),
    geometry: word('geometry', o.geometry, ['metadata', 'features', 'refined']),
    level: word('level', o.level, ['on', 'off']) === 'on',
    movedStops: o.movedStops,
    tripodDeg: o.tripod,
    areas: o.area?.map(areaOf),
  };
}

/** @throws RangeError for what is not four numbers */
function areaOf(text: string): ChosenArea {
  const [azimuthDeg, elevationDeg, radiusDeg, view] = text.split(',').map(Number);
  if (
    text.split(',').length !== 4 ||
    ![azimuthDeg, elevationDeg, radiusDeg, view].every(Number.isFinite) ||
    !(radiusDeg > 0)
  )
    throw new RangeError(`--area takes azimuth,elevation,radius,view, not ${text}`);
  return { azimuthDeg, elevationDeg, radiusDeg, view: view - 1 };
}

const PICTURES = /\.(jpe?g|png|tiff?|exr|hdr|dng|cr2|cr3|nef|arw|raf|rw2|orf|pef)$/i;
/** What our own commands leave beside the frames. */
const NOT_FRAMES = /^truth\.exr$/i;

export function addBuild(program: Command): void {
  withDecodingOptions(
    program
      .command('build <dir>')
      .description('build a linear latitude-longitude panorama from the bracketed frames of a round'),
  )
    .requiredOption('--out <file>', 'OpenEXR file to write')
    .option('--width <px>', 'panorama width', whole, 4096)
    .option('--rig <file>', 'rig file {"projection","fovDeg","views"}; default: rig.json in the folder')
    .option(
      '--projection <name>',
      'lens guess instead of a rig file: equidistant, equisolid, stereographic, orthographic, rectilinear, latlong',
    )
    .option('--fov <deg>', 'with --projection: field of view, degrees', number)
    .option('--views <n>', 'with --projection: number of views', whole)
    .option('--moved <on|off>', 'take out what moved within a bracket', 'on')
    .option('--moved-stops <stops>', 'by how much frames must differ to count as moved', number, USUAL_MOVED_STOPS)
    .option(
      '--area <az,el,radius,view...>',
      'take a place whole from one view: azimuth, elevation and radius in degrees of the panorama, view from 1',
    )
    .option('--tripod <deg>', 'what lies this near to straight down is the tripod: it counts as not seen', number)
    .option('--nadir <fill|keep>', 'fill what no view saw from around it, or leave it black', 'keep')
    .option('--camera <source>', 'believe the file (stated curve and exposures) or the round (measured)', 'round')
    .option('--geometry <source>', 'metadata, features, or refined (both)', 'refined')
    .option('--level <on|off>', 'turn the panorama so that what stands upright does', 'on')
    .option(
      '--measure <file>',
      'PNG to write beside it: red 0 seen, 1 clipped, 2 not seen, 3 moved; green the uncertainty code of every pixel',
    )
    .option('--work <dir>', 'folder for finished views: a build that broke off is taken up from it')
    .option('--space <name>', 'working space of the panorama: rec709 or acescg', 'rec709')
    .option('--json', 'print one JSON object')
    .action(async (dir: string, o: BuildFlags) => {
      const rig = o.projection
        ? parseRig({ projection: o.projection, fovDeg: o.fov, views: o.views }, '--projection')
        : await readRig(o.rig ?? path.join(dir, 'rig.json'));
      const { curve, primaries } = await statedCurve(o);
      if (curve) rig.curve = curve;
      if (primaries) rig.primaries = primaries;
      const names = (await fs.readdir(dir)).filter((n) => PICTURES.test(n) && !NOT_FRAMES.test(n)).sort();
      if (names.length === 0)
        throw new FileProblem(
          'unsupported',
          path.basename(dir),
          'holds no frames (JPEG, PNG, TIFF, OpenEXR, Radiance HDR or camera raw)',
        );
      if (o.space !== 'rec709' && o.space !== 'acescg')
        throw new RangeError(`the working space is rec709 or acescg, not "${o.space}"`);
      const started = Date.now();
      const built = await buildPanorama(
        {
          files: names.map((name) => ({ name, path: path.join(dir, name) })),
          rig,
          width: o.width,
          options: buildOptions(o),
          workFolder: o.work,
        },
        { onLog: say },
      );
      const attributes = {
        latlong: true,
        clippedSr: built.clippedSr,
        northAligned: false,
        comments: 'relative: linear value per unit photometric exposure',
      };
      const panorama = inSpace(built.panorama, o.space);
      if (built.full) await built.full.write(o.out, attributes, o.space, { onLog: say });
      else await fs.writeFile(o.out, await writeExr(panorama, attributes));
      if (o.measure)
        await fs.writeFile(
          o.measure,
          await encodePng(measurePixels(built), built.panorama.width, built.panorama.height),
        );
      const seen = inspectPanorama(panorama, attributes);
      printResult(
        {
          file: o.out,
          widthPx: o.width,
          heightPx: o.width / 2,
          views: built.views.length,
          framesPerView: built.bracketFrames,
          dynamicRangeStops: seen.statistics.dynamicRangeStops,
          clippedSr: built.clippedSr,
          uncoveredSr: built.uncoveredSr,
          seamStops: built.seamStops,
          lightDriftStops: built.lightDriftStops,
          movedFraction: built.movedFraction,
          movedSr: built.movedSr,
          moved: built.moved.map((m) => ({ ...m, view: m.view + 1 })),
          exposureFactors: built.exposureFactors,
          responseDepartureStops: built.responseDepartureStops,
          focalScale: built.focalScale,
          pointingSigmaDeg: built.pointingSigmaDeg,
          level: built.level,
          shakePx: built.shakePx,
          hotSamples: built.hotSamples,
          glareTaken: built.glareTaken,
          illuminanceHorizontal: seen.illuminanceHorizontal,
          nominalCdPerUnit: NOMINAL_LUMINANCE_PER_UNIT,
          meanLuminance: seen.statistics.meanLuminance,
          sun: sunJson(seen.sun, panorama.space),
          elapsedS: (Date.now() - started) / 1000,
          warnings: built.warnings,
        },
        o.json === true,
      );
    });
}
