import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { expect, test } from '@playwright/test';
import type { Job } from '@tawny/contract';
import { benchRound, ended, postJson } from '../support/api';
import { choose } from '../support/hands';
import { HEAD, shootHead } from '../support/ownMaterial';

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

test('somebody walks through view 3: that view is named with what moved, no other is, and nothing is to be shot again', async ({
  page,
  request,
}) => {
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'passer-'));
  // Frame by frame further to the right, and gone at the end.
  const paths = await shootHead(folder, { look: 2, stands: [null, -35, -10, 20, 45, null, null] });
  const files = await Promise.all(
    paths.map(async (p) => ({ name: path.basename(p), mimeType: 'image/jpeg', buffer: await fs.readFile(p) })),
  );
  await fs.rm(folder, { recursive: true });
  const { setup, round } = await benchRound(request, HEAD, { name: 'Passer', lightCondition: 'sun out' });
  await page.goto(`/HERN/round/${round.id}?setup=${setup.id}`);
  await choose(page, 'Choose frames', files);
  await expect(page.getByText('42 frames in 6 views')).toBeVisible({ timeout: 60000 });
  const views = page.getByTestId('view-checks');
  await expect(views).toContainText('Build it; no view needs to be shot again', { timeout: 90000 });
  await expect(views).toContainText(/View 3\s*Look\s*moved over \d/);
  await expect(views).not.toContainText(/View [12456]/);
});

test('two opposite views are built, and the sheet says what they hardly show and what would settle it', async ({
  page,
  request,
}) => {
  const { setup, round } = await benchRound(
    request,
    { projection: 'equidistant', fovDeg: 200, views: 2 },
    { name: 'Opposite', lightCondition: 'cloud over' },
  );
  const shot = await postJson(request, `/rounds/${round.id}/simulate`, {
    views: 2,
    frames: 7,
    stepEv: 2,
    widthPx: 768,
    kind: 'jpeg',
  });
  expect((await ended(request, shot.body as Job)).state).toBe('done');
  await page.goto(`/HERN/round/${round.id}?setup=${setup.id}`);
  await expect(page.getByTestId('view-checks')).toHaveText(/^Build it: every view holds/, { timeout: 60000 });
  await page.getByRole('button', { name: 'Build the panorama' }).click();
  const sheet = page.getByText('the views hardly show how much their lens darkens towards its edge', { exact: false });
  await expect(sheet).toBeVisible({ timeout: 120000 });
  await expect(sheet).toContainText('a view turned by 90° or more views');
  await expect(page.getByText('Falloff', { exact: true })).toBeVisible();
});
