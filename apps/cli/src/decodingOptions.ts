import fs from 'node:fs/promises';
import path from 'node:path';
import type { Command } from 'commander';
import { CURVE_NAMES, curveFunction, STATED_PRIMARIES, type Curve, type Decoding, type Primaries } from '@tawny/core';
import { isExr, readAttributes, readClf } from '@tawny/formats';
import type { StatedDecoding } from '@tawny/pipeline';

export interface DecodingFlags {
  decoding?: string;
  range?: string;
  primaries?: string;
}

/** The three options by which every verb that reads pictures is told what code values mean. */
export function withDecodingOptions(command: Command): Command {
  return command
    .option('--decoding <curve>', `${CURVE_NAMES}; or FILE.clf; default: the file's own tags`)
    .option('--range <range>', "full or legal; default: the file's own tags, else full")
    .option(
      '--primaries <set>',
      "rec709, acescg, rec2020, p3d65, an OpenEXR file whose header states them or a JSON list of eight chromaticities; default: the file's own tags, else Rec. 709",
    );
}

/** @throws RangeError, FileProblem naming the option or the file */
export async function statedDecoding(flags: DecodingFlags): Promise<StatedDecoding> {
  return {
    ...(flags.decoding === undefined ? {} : { curve: await curveOf(flags.decoding) }),
    ...(flags.range === undefined ? {} : { range: rangeOf(flags.range) }),
    ...(flags.primaries === undefined ? {} : { primaries: await primariesOf(flags.primaries) }),
  };
}

/** The same for frames that are merged: those want a curve with a name, and full range. @throws RangeError naming the option */
export async function statedCurve(flags: DecodingFlags): Promise<{ curve?: Curve; primaries?: Decoding['primaries'] }> {
  const { curve, range, primaries } = await statedDecoding(flags);
  if (range === 'legal') throw new RangeError('--range legal: frames of a bracket are merged in full range');
  if (curve !== undefined && typeof curve !== 'string')
    throw new RangeError(`--decoding: frames of a bracket take ${CURVE_NAMES}`);
  return { curve, primaries };
}

async function curveOf(text: string): Promise<Decoding['curve']> {
  if (/\.clf$/i.test(text)) return readClf(await read(text, '--decoding'), path.basename(text)).nodes;
  try {
    curveFunction(text as Curve);
  } catch (error) {
    throw new RangeError(`--decoding ${(error as Error).message}, or a .clf file`);
  }
  return text as Curve;
}

function rangeOf(text: string): 'full' | 'legal' {
  if (text !== 'full' && text !== 'legal') throw new RangeError(`--range is full or legal, not ${text}`);
  return text;
}

async function primariesOf(text: string): Promise<Primaries> {
  if (text === 'rec709' || text === 'acescg') return text;
  if (text === 'rec2020' || text === 'p3d65') return STATED_PRIMARIES[text];
  const bytes = await read(text, '--primaries');
  if (isExr(bytes)) {
    const { chromaticities } = readAttributes(bytes);
    if (!chromaticities) throw new RangeError(`--primaries: ${text} states no chromaticities in its header`);
    return chromaticities;
  }
  let values: unknown;
  try {
    values = JSON.parse(bytes.toString('utf8'));
  } catch {
    values = null;
  }
  if (!Array.isArray(values) || values.length !== 8 || !values.every((v) => typeof v === 'number'))
    throw new RangeError(
      `--primaries: ${text} is neither an OpenEXR file nor a JSON list of x and y of red, green, blue and white`,
    );
  return values as number[];
}

const read = (file: string, option: string) =>
  fs.readFile(file).catch((e: NodeJS.ErrnoException) => {
    throw new RangeError(`${option}: ${file} ${e.code === 'ENOENT' ? 'is not there' : `cannot be read (${e.code})`}`);
  });
