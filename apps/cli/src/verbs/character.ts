import type { Command } from 'commander';
import { plateCharacter } from '@tawny/core';
import { readLinearPicture } from '@tawny/pipeline';
import { statedDecoding, withDecodingOptions, type DecodingFlags } from '../decodingOptions';
import { numberList } from '../options';
import { printResult } from '../output';

const region = numberList(4);

export function addCharacter(program: Command): void {
  withDecodingOptions(
    program.command('character <plate>').description('black level, grain and edge blur of a plate, in linear light'),
  )
    .option(
      '--region <x,y,w,h>',
      'an even region to read the grain in; may be given several times',
      (text: string, before: number[][]) => [...before, region(text)],
      [] as number[][],
    )
    .option('--pair <file>', 'another frame of the same view')
    .option('--json', 'print one JSON object')
    .action(async (file: string, o: DecodingFlags & { region: number[][]; pair?: string; json?: boolean }) => {
      const stated = await statedDecoding(o);
      const image = await readLinearPicture(file, undefined, stated);
      const pair = o.pair === undefined ? null : await readLinearPicture(o.pair, undefined, stated);
      const regions = o.region.map(([x, y, width, height]) => ({ x, y, width, height }));
      printResult({ file, ...plateCharacter(image, { regions, pair }) }, o.json === true);
    });
}
