import { expect, test } from '@playwright/test';
import type { Job } from '@tawny/contract';
import { benchRound, ended, postJson } from '../support/api';

test('a complete overcast round is summed up in one sentence, nothing of it is doubted, and its page is short', async ({
  page,
  request,
}) => {
  const { setup, round } = await benchRound(
    request,
    { projection: 'equidistant', fovDeg: 185, views: 6 },
    { name: 'Grey', lightCondition: 'cloud over' },
  );
  const shot = await postJson(request, `/rounds/${round.id}/simulate`, {
    views: 6,
    frames: 7,
    stepEv: 2,
    widthPx: 512,
    kind: 'jpeg',
  });
  expect((await ended(request, shot.body as Job)).state).toBe('done');
  await page.goto(`/HERN/round/${round.id}?setup=${setup.id}`);
  const views = page.getByTestId('view-checks');
  await expect(views).toHaveText(/^Build it: every view holds$/, { timeout: 60000 });
  await page.getByRole('button', { name: 'Build the panorama' }).click();
  await expect(page.getByText('Check sheet')).toBeVisible({ timeout: 120000 });
  await expect(views).toHaveText(/^Every view holds$/);
  // Nothing stands under the sheet's title but that there is no sun, and how much is in order.
  await expect(page.getByText('No sun in this panorama: north needs another source')).toBeVisible();
  await page.getByRole('button', { name: 'What is in order' }).click();
  await page.getByRole('button', { name: 'What dynamic range means' }).click();
  await expect(page.getByText('what the scene has', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'What is in order' }).click();
  await expect(page.getByText(/display picture|Shoot|shoot again/)).toHaveCount(0);
  const height = await page.evaluate(() => Math.max(...[...document.querySelectorAll('[role=main]')].map((e) => e.scrollHeight))); // prettier-ignore
  expect(height).toBeLessThan(4 * 844);
});
