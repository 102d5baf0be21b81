import fs from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { closeThreads } from '@tawny/pipeline';
import { ballsSection } from './balls';
import { cardSection } from './card';
import { codesSection } from './codes';
import { detectionSection } from './detection';
import { estimateSection } from './estimate';
import { groupingSection } from './grouping';
import { kept } from './kept';
import { mendingSection } from './mending';
import { mergeSection } from './merge';
import { nastySection } from './nasty';
import { offModelSection, stepsSection } from './offModel';
import { orientationSections } from './orientation';
import { responseSection } from './response';
import { northCoverageSection, northStrataSection } from './north';
import { renderedSection } from './rendered';
import { roundTripSection } from './roundTrip';
import { strokesSections } from './strokes';
import { thresholdsSection } from './thresholds';
import { twoViewsSection } from './twoViews';
import { proposedSection } from './proposed';
import { verdictsSection } from './verdicts';
import { sunSection } from './sun';
import { characterSection } from './character';
import { chartsSection } from './charts';
import { colourMatchSection } from './colourMatch';
import { networkSection } from './network';
import { commitHere } from '../commit';
import { replaceSections } from '../replaceSections';
import { markdown, type Section } from './table';

/** `npm run accuracy -- "sun detection"` measures one section anew and keeps the others of the table. */
const wanted = process.argv.slice(2);
const target = fileURLToPath(new URL('../../docs/accuracy.md', import.meta.url));
const say = (text: string) => process.stderr.write(`${text}\n`);
// Of the start: what is changed while hours are counted is not what was counted.
const commit = commitHere();
const sections: Section[] = [];
/** Name, module, what it measures, and of how many. */
const steps: [string, string, (...counts: number[]) => Section | Section[] | Promise<Section>, ...number[]][] = [
  ['sun position', 'sun', sunSection],
  ['code values', 'codes', codesSection],
  ['merge', 'merge', mergeSection],
  ['joining sources', 'estimate', estimateSection],
  ['simulate, build, align', 'roundTrip', roundTripSection, 2048],
  ['sun detection', 'detection', detectionSection],
  ['off-model rounds', 'offModel', offModelSection],
  ['steps of a bracket', 'offModel', stepsSection],
  ['nastier than the world', 'nasty', nastySection],
  ['two opposite views', 'twoViews', twoViewsSection],
  ['verdicts', 'verdicts', verdictsSection, 40, 240],
  ['thresholds', 'thresholds', thresholdsSection],
  ['grouping', 'grouping', groupingSection],
  ['mending', 'mending', mendingSection],
  ['response', 'response', responseSection],
  ['exposure', 'card', cardSection, 12],
  ['balls', 'balls', ballsSection, 4],
  ["a plate's character", 'character', characterSection],
  ['charts found', 'charts', chartsSection, 200, 100],
  ['colour between cameras', 'colourMatch', colourMatchSection, 40],
  ['exposure network', 'network', networkSection, 1000],
  ['north, stated uncertainty', 'north', northCoverageSection, 200],
  ['rendered rounds', 'rendered', renderedSection, 60],
  ['north by level and clock', 'north', northStrataSection, 1000],
  ['orientation', 'orientation', orientationSections, 1000],
  ['picks proposed', 'proposed', proposedSection],
  ['plate camera', 'strokes', strokesSections, 1000],
];
const unknown = wanted.filter((w) => !steps.some(([name]) => name === w));
if (unknown.length > 0)
  throw new RangeError(
    `no section is called ${unknown.join(', ')}: there are ${steps.map(([name]) => name).join('; ')}`,
  );
for (const [name, file, run, ...counts] of steps) {
  if (wanted.length > 0 && !wanted.includes(name)) continue;
  say(`${name} ...`);
  const measured = await kept(
    new URL(`./${file}.ts`, import.meta.url).href,
    'sections',
    [name, ...counts].join(' '),
    async () => [await run(...counts)].flat(),
  );
  for (const r of measured.flatMap((section) => section.rows))
    say(`  ${r.holds === false ? 'MISSES' : '      '} ${r.what}: ${r.measured} (${r.bound})`);
  sections.push(...measured);
}
const text = markdown(sections, commit);
await fs.writeFile(target, wanted.length === 0 ? text : replaceSections(await fs.readFile(target, 'utf8'), text));
await closeThreads();
