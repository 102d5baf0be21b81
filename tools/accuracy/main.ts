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
const steps: [string, () => Section | Section[] | Promise<Section>][] = [
  ['sun position', sunSection],
  ['code values', codesSection],
  ['merge', mergeSection],
  ['joining sources', estimateSection],
  ['simulate, build, align', () => roundTripSection(2048)],
  ['sun detection', () => detectionSection()],
  ['off-model rounds', offModelSection],
  ['steps of a bracket', stepsSection],
  ['nastier than the world', nastySection],
  ['two opposite views', twoViewsSection],
  ['verdicts', () => verdictsSection(40, 240)],
  ['thresholds', thresholdsSection],
  ['grouping', groupingSection],
  ['mending', mendingSection],
  ['response', responseSection],
  ['exposure', () => cardSection(12)],
  ['balls', () => ballsSection(4)],
  ["a plate's character", characterSection],
  ['charts found', () => chartsSection(200, 100)],
  ['colour between cameras', () => colourMatchSection(40)],
  ['exposure network', () => networkSection(1000)],
  ['north, stated uncertainty', () => northCoverageSection(200)],
  ['rendered rounds', () => renderedSection(60)],
  ['north by level and clock', () => northStrataSection(1000)],
  ['orientation', () => orientationSections(1000)],
  ['picks proposed', async () => proposedSection()],
  ['plate camera', () => strokesSections(1000)],
];
const unknown = wanted.filter((w) => !steps.some(([name]) => name === w));
if (unknown.length > 0)
  throw new RangeError(
    `no section is called ${unknown.join(', ')}: there are ${steps.map(([name]) => name).join('; ')}`,
  );
for (const [name, run] of steps) {
  if (wanted.length > 0 && !wanted.includes(name)) continue;
  say(`${name} ...`);
  const measured = await kept('sections', name, async () => [await run()].flat());
  for (const r of measured.flatMap((section) => section.rows))
    say(`  ${r.holds === false ? 'MISSES' : '      '} ${r.what}: ${r.measured} (${r.bound})`);
  sections.push(...measured);
}
const text = markdown(sections, commit);
await fs.writeFile(target, wanted.length === 0 ? text : replaceSections(await fs.readFile(target, 'utf8'), text));
await closeThreads();
