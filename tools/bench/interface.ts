import { chromium, type BrowserContext, type ElementHandle, type Locator, type Page } from 'playwright-core';
import type { BenchRow } from './api';
import { percentile } from './api';
import { TAKES, type Stage } from './stage';

const ARGS = [
  '--no-sandbox',
  '--use-gl=angle',
  '--use-angle=swiftshader',
  '--enable-unsafe-swiftshader',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--no-first-run',
];
const PHONE = { width: 390, height: 844 };
/** A mid-range phone against this machine. */
const SLOWDOWN = 4;
const RUNS = 3;
const CHANGES = 20;

const row = (what: string, bound: number, unit: string, values: readonly number[], digits = 0): BenchRow => {
  const value = percentile(values, 0.5);
  return {
    what: `${what}, median of ${values.length}`,
    bound: Number.isFinite(bound) ? `${bound} ${unit}` : '-',
    measured: `${value.toFixed(digits)} ${unit}${value <= bound ? '' : ', **missed**'}`,
  };
};

async function slowPage(context: BrowserContext): Promise<Page> {
  const page = await context.newPage();
  const session = await context.newCDPSession(page);
  await session.send('Emulation.setCPUThrottlingRate', { rate: SLOWDOWN });
  return page;
}

/**
 * Seconds from asking for the day until its gap list is painted and can be used, and until what was seen last is. By the page's own clock: what
 * drives the page is slowed down with it, asks it a thousand words a time, and hears of a picture long after it stands there.
 */
async function untilDay(page: Page, base: string): Promise<{ readS: number | null; usedS: number }> {
  await page.addInitScript({
    content: `new MutationObserver((_, self) => {
      window.seenAt ??= document.getElementById('last-seen') ? performance.now() : undefined;
      if (!document.querySelector('[role=list][aria-label="Gap list"] [role=listitem]')) return;
      self.disconnect();
      requestAnimationFrame(() => setTimeout(() => (window.usedAt = performance.now())));
    }).observe(document, { childList: true, subtree: true });`,
  });
  await page.goto(`${base}/HERN/day`, { waitUntil: 'commit' });
  const asked =
    "[window.seenAt ?? null, performance.getEntriesByName('first-contentful-paint')[0]?.startTime, window.usedAt]";
  for (const until = Date.now() + 60000; Date.now() < until; await page.waitForTimeout(250)) {
    const [seenAt, paintedAt, usedAt] = (await page.evaluate(asked)) as [number | null, number, number | undefined];
    if (usedAt !== undefined)
      return { readS: seenAt === null ? null : Math.max(seenAt, paintedAt) / 1000, usedS: usedAt / 1000 };
  }
  throw new Error('the gap list did not stand within a minute');
}

/** The speed of the interface in headless Chromium, as a hand meets it. */
export async function interfaceRows(stage: Stage): Promise<BenchRow[]> {
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium-headless-shell', args: ARGS });
  try {
    const cold: number[] = [];
    const warm: number[] = [];
    const used: number[] = [];
    for (let k = 0; k < RUNS; k++) {
      const context = await browser.newContext({ viewport: PHONE });
      // Each alone: two slowed pages of one address share a thread.
      const first = await slowPage(context);
      cold.push((await untilDay(first, stage.base)).usedS);
      await first.close();
      const before = await slowPage(context);
      await untilDay(before, stage.base);
      // As long as somebody looks at it; then it is opened anew.
      await before.waitForTimeout(5000);
      await before.close();
      const { readS, usedS } = await untilDay(await slowPage(context), stage.base);
      if (readS === null) throw new Error('the day was not shown as it was seen last');
      warm.push(readS);
      used.push(usedS);
      await context.close();
    }
    const context = await browser.newContext({ viewport: PHONE });
    const rows = [
      row(`first screen (the day, ${TAKES} takes), ${SLOWDOWN} x slowdown, cold on loopback`, 4, 's', cold, 1),
      row('the same with a warm cache, until it can be read (as it was seen last)', 1.5, 's', warm, 1),
      row('the same, until it can be used', Infinity, 's', used, 1),
      row('next take: tap to saved draft', 100, 'ms', await tapToDraft(await context.newPage(), stage)),
      ...(await stripRows(context, stage)),
      ...(await sightRows(context, stage)),
    ];
    await context.close();
    return rows;
  } finally {
    await browser.close();
  }
}

async function tapToDraft(page: Page, { base, setupId }: Stage): Promise<number[]> {
  await page.goto(`${base}/HERN/log/new?setup=${setupId}`);
  await page.getByRole('button', { name: 'EI up' }).waitFor();
  // In the page's own words: this program knows no DOM.
  return (await page.evaluate(`(async () => {
    const times = [];
    const key = 'tawny.take-drafts.${setupId}';
    const button = document.querySelector('[aria-label="EI up"]');
    for (let k = 0; k < 9; k++) {
      const before = localStorage.getItem(key);
      const at = performance.now();
      button.click();
      while (localStorage.getItem(key) === before) await new Promise((r) => setTimeout(r, 1));
      times.push(performance.now() - at);
    }
    return times;
  })()`)) as number[];
}

/** A page that counts the textures that it uploads. */
async function countingPage(context: BrowserContext): Promise<Page> {
  const page = await context.newPage();
  await page.addInitScript({
    content: `window.uploads = 0;
      for (const name of ['texImage2D', 'texSubImage2D']) {
        const plain = WebGL2RenderingContext.prototype[name];
        WebGL2RenderingContext.prototype[name] = function (...args) {
          window.uploads++;
          return plain.apply(this, args);
        };
      }`,
  });
  return page;
}

/** Main-thread script and uploads of changes in a page, one after the other. */
async function changesOf(page: Page): Promise<(what: string, act: (k: number) => Promise<void>) => Promise<BenchRow>> {
  const session = await page.context().newCDPSession(page);
  await session.send('Performance.enable');
  const script = async () =>
    1000 * (await session.send('Performance.getMetrics')).metrics.find((m) => m.name === 'ScriptDuration')!.value;
  const uploads = async () => (await page.evaluate('window.uploads')) as number;
  return async (what, act) => {
    const before = await uploads();
    const times: number[] = [];
    for (let k = 0; k < CHANGES; k++) {
      const start = await script();
      await act(k);
      await page.waitForTimeout(60);
      times.push((await script()) - start);
    }
    const sent = (await uploads()) - before;
    const { measured, ...rest } = row(`${what}: main-thread script`, 4, 'ms', times, 1);
    return { ...rest, measured: `${measured}; ${sent} textures uploaded` };
  };
}

/** What is pressed, looked for beforehand: the looking is script of the page, too, and none of the application's. */
async function found(locator: Locator): Promise<ElementHandle> {
  const handle = await locator.elementHandle();
  if (!handle) throw new Error('it is not on the page');
  return handle;
}

/** One drag of 40 px to and fro in the middle of something. */
async function toAndFro(page: Page, testId: string): Promise<(k: number) => Promise<void>> {
  const box = (await page.getByTestId(testId).first().boundingBox())!;
  const middle = { x: box.x + box.width / 2, y: box.y + box.height / 2 };
  return async (k) => {
    await page.mouse.move(middle.x + (k % 2 === 0 ? 0 : 40), middle.y);
    await page.mouse.down();
    await page.mouse.move(middle.x + (k % 2 === 0 ? 40 : 0), middle.y);
    await page.mouse.up();
  };
}

/** Main-thread script of one change of exposure and of one turn of the panorama, and how many textures it uploads. */
async function stripRows(context: BrowserContext, { base, roundId, setupId }: Stage): Promise<BenchRow[]> {
  const page = await countingPage(context);
  await page.goto(`${base}/HERN/round/${roundId}?setup=${setupId}`);
  const strip = page.getByTestId('panorama-strip').first();
  await strip.waitFor({ timeout: 60000 });
  await strip.scrollIntoViewIfNeeded();
  await page.waitForTimeout(4000);
  const measure = await changesOf(page);
  const brighter = await found(page.getByText('+⅓', { exact: true }).first());
  const darker = await found(page.getByText('−⅓', { exact: true }).first());
  const turned = await toAndFro(page, 'panorama-strip');
  return [
    await measure('panorama view, one change of exposure', (k) =>
      (k % 2 === 0 ? brighter : darker).dispatchEvent('click'),
    ),
    await measure('panorama view, one turn by a drag of 40 px', turned),
  ];
}

/** The sight over a plate of the setup's newest take. */
async function sightRows(context: BrowserContext, { base, setupId, call }: Stage): Promise<BenchRow[]> {
  const [take] = (await call('takes.list', { query: { setupId } })).items;
  let job = await call('plates.simulate', { id: take.id, body: {} });
  while (job.state === 'queued' || job.state === 'running') {
    await new Promise((r) => setTimeout(r, 200));
    job = await call('jobs.get', { id: job.id });
  }
  if (job.state !== 'done') throw new Error(`the plate was not made: ${JSON.stringify(job.error)}`);
  const page = await countingPage(context);
  await page.goto(`${base}/HERN/sight?setup=${setupId}&take=${take.id}`);
  const picture = page.getByTestId('sight-picture');
  await picture.waitFor({ timeout: 60000 });
  await picture.scrollIntoViewIfNeeded();
  await page.waitForTimeout(4000);
  const measure = await changesOf(page);
  const turned = await toAndFro(page, 'sight-picture');
  const [quarter, half] = [
    await found(page.getByRole('radio', { name: '¼', exact: true })),
    await found(page.getByRole('radio', { name: '½', exact: true })),
  ];
  return [
    await measure('sight, one turn by a drag of 40 px', turned),
    await measure('sight, one turn by a tenth of a degree', (k) =>
      page.keyboard.press(k % 2 === 0 ? 'ArrowRight' : 'ArrowLeft'),
    ),
    await measure('sight, one change of opacity', (k) => (k % 2 === 0 ? quarter : half).dispatchEvent('click')),
  ];
}
