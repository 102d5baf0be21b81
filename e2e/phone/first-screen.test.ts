import { expect, test, type Page } from '@playwright/test';

const day = async (page: Page) => {
  await page.goto('/HERN/day');
  await expect(page.getByText(/^Gap list/).first()).toBeVisible();
};
const kept = (page: Page) => page.evaluate(() => localStorage.getItem('tawny.last-seen.1'));

test('what was seen last of the day stands before the program is there, and gives way to it', async ({ page }) => {
  await day(page);
  await expect.poll(() => kept(page), { timeout: 20000 }).not.toBeNull();
  const seen = JSON.parse((await kept(page))!) as { html: string; here: string };
  expect(seen.here).toBe('/HERN/day');
  expect(seen.html).toContain('Gap list');
  // The program does not arrive: the device still shows the day, and nothing of it can be pressed.
  await page.route('**/_expo/**', (route) => route.abort());
  await page.reload();
  const still = page.locator('#last-seen');
  await expect(still).toBeVisible();
  expect(await still.evaluate((e) => (e as HTMLElement).inert && e.shadowRoot === null)).toBe(true);
  // It arrives: there is one day, and it can be used.
  await page.unroute('**/_expo/**');
  await day(page);
  await expect(still).toHaveCount(0);
  await page.getByRole('button', { name: 'Day ›' }).click();
  await expect(page.getByText(/^Planning: the shoot day is/)).toBeVisible();
});

test('a screen of another address, width or theme is not shown again', async ({ page }) => {
  await day(page);
  await expect.poll(() => kept(page), { timeout: 20000 }).not.toBeNull();
  await page.route('**/_expo/**', (route) => route.abort());
  const still = page.locator('#last-seen');
  await page.goto('/HERN/log');
  await expect(still).toHaveCount(0);
  await page.setViewportSize({ width: 500, height: 844 });
  await page.goto('/HERN/day');
  await expect(still).toHaveCount(0);
  await page.setViewportSize({ width: 390, height: 844 });
  await page.evaluate(() => localStorage.setItem('tawny.theme', 'lamplight'));
  await page.reload();
  await expect(still).toHaveCount(0);
  // One that is damaged goes, and the program draws all of it.
  await page.evaluate(() => localStorage.setItem('tawny.last-seen.1', '{"here'));
  await page.reload();
  expect(await kept(page)).toBeNull();
  await page.unroute('**/_expo/**');
  await day(page);
});
