import { randomUUID } from 'node:crypto';
import { expect, test } from '@playwright/test';
import { bench, CLIENT, HERN } from '../support/api';

const TAKES = 10000;
const AT_ONCE = 500;

test('ten thousand takes scroll without a blank row', async ({ page, request }) => {
  test.setTimeout(300000);
  const { setup } = await bench(request);
  for (let k = 0; k < TAKES; k += AT_ONCE) {
    // Slates of as many takes as one import holds.
    const csv = [
      'Slate,Take,Camera,Body,Lens,Stop,Clip',
      ...Array.from(
        { length: AT_ONCE },
        (_, i) => `${100 + k / AT_ONCE},${i + 1},A,Corrie 35,Skerry prime 32,T8,L${String(k + i).padStart(5, '0')}`,
      ),
    ].join('\n');
    const response = await request.post(`${HERN}/takes/import`, {
      headers: { 'Idempotency-Key': randomUUID(), ...CLIENT },
      data: {
        setupId: setup.id,
        fileName: 'long.csv',
        contentBase64: Buffer.from(csv).toString('base64'),
        dryRun: false,
        acceptRest: false,
      },
    });
    expect(response.ok(), (await response.text()).slice(0, 400)).toBe(true);
  }
  let pages = 0;
  page.on('request', (r) => {
    if (r.url().includes('/takes?')) pages++;
  });
  await page.goto(`/HERN/log?setup=${setup.id}`);
  const grid = page.getByRole('grid', { name: 'Takes' });
  await expect(grid.getByRole('row').nth(5)).toBeVisible({ timeout: 60000 });
  // Nobody has scrolled: what is far below is not asked for.
  await page.waitForTimeout(1500);
  expect(pages).toBeLessThanOrEqual(2);
  await grid.hover();
  // While the wheel turns, every frame that the browser draws is looked at: each place of the visible part must be covered by a row with text.
  const watch = grid.evaluate(
    (element) =>
      new Promise<{ frames: number; blank: number; worst: number }>((resolve) => {
        const seen = { frames: 0, blank: 0, worst: 0 };
        const started = performance.now();
        const look = () => {
          const box = element.getBoundingClientRect();
          const rows = [...element.querySelectorAll('[role=row][aria-rowindex]')]
            .map((r) => r.getBoundingClientRect())
            .filter((r) => r.bottom > box.top + 44 && r.top < box.bottom - 1)
            .sort((a, b) => a.top - b.top);
          let covered = box.top + 44;
          for (const r of rows) if (r.top <= covered + 1) covered = Math.max(covered, r.bottom);
          const gap = Math.max(0, box.bottom - 2 - covered);
          seen.frames++;
          if (gap > 1) seen.blank++;
          seen.worst = Math.max(seen.worst, gap);
          if (performance.now() - started < 9000) requestAnimationFrame(look);
          else resolve(seen);
        };
        requestAnimationFrame(look);
      }),
  );
  for (let i = 0; i < 60; i++) {
    await page.mouse.wheel(0, i < 40 ? 700 : -900);
    await page.waitForTimeout(60);
  }
  const seen = await watch;
  console.log(
    `      ${TAKES} takes: ${seen.frames} frames drawn while scrolling, ${seen.blank} with a blank place (worst ${seen.worst.toFixed(0)} px)`,
  );
  // Beside everything else that a test run does.
  expect(seen.frames).toBeGreaterThan(40);
  expect(seen.blank).toBe(0);
  expect(pages).toBeGreaterThan(2);
  expect(pages).toBeLessThan(TAKES / 200);
  // Looking through them reads them all: the oldest is found.
  await page.getByLabel('Filter takes').fill('L00000');
  await expect(grid).toHaveAttribute('aria-rowcount', '1', { timeout: 60000 });
  await expect(grid.getByRole('gridcell', { name: 'L00000' })).toBeVisible();
});
