import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { expect, test } from '@playwright/test';
import type { Job } from '@tawny/contract';
import { benchRound, ended, postJson, type TestFile } from '../support/api';
import { choose } from '../support/hands';
import { HEAD, shootHead, type Passer } from '../support/ownMaterial';

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
    widthPx: 400,
    kind: 'jpeg',
  });
  expect((await ended(shot.body as Job)).state).toBe('done');
  await page.goto(`/HERN/round/${round.id}?setup=${setup.id}`);
  const views = page.getByTestId('view-checks');
  // The bracket was planned for a sun: what it could do without is said once, and is no doubt.
  const idle =
    'The shortest frame (every light is held without) and the longest frame (white all over) add nothing here';
  await expect(views).toHaveText(`Build it: every view holds${idle}`, { timeout: 60000 });
  await page.getByRole('button', { name: 'Build the panorama' }).click();
  await expect(page.getByText('Check sheet')).toBeVisible({ timeout: 120000 });
  await expect(views).toHaveText('Every view holds');
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

/** Frames of a head on disk, as files for a chooser. */
async function headFrames(passer?: Passer): Promise<TestFile[]> {
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'head-'));
  try {
    const paths = await shootHead(folder, passer);
    return await Promise.all(
      paths.map(async (p) => ({ name: path.basename(p), mimeType: 'image/jpeg', buffer: await fs.readFile(p) })),
    );
  } finally {
    await fs.rm(folder, { recursive: true });
  }
}

test('somebody walks through view 3: that view is named with what moved, no other is, and nothing is to be shot again', async ({
  page,
  request,
}) => {
  // Frame by frame further to the right, and gone at the end.
  const files = await headFrames({ look: 2, stands: [-35, -5, 20, 45, null, null, null] });
  const { setup, round } = await benchRound(request, HEAD, { name: 'Passer', lightCondition: 'sun out' });
  await page.goto(`/HERN/round/${round.id}?setup=${setup.id}`);
  await page.getByRole('radio', { name: 'Fisheye frames' }).click();
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
  const all = await headFrames();
  const opposite = [...all.slice(0, 7), ...all.slice(21, 28)];
  const { setup, round } = await benchRound(
    request,
    { ...HEAD, views: 2 },
    { name: 'Opposite', lightCondition: 'sun out' },
  );
  await page.goto(`/HERN/round/${round.id}?setup=${setup.id}`);
  await page.getByRole('radio', { name: 'Fisheye frames' }).click();
  await choose(page, 'Choose frames', opposite);
  await expect(page.getByText('14 frames in 2 views')).toBeVisible({ timeout: 60000 });
  await expect(page.getByTestId('view-checks')).toContainText(/^Build it: every view holds/, { timeout: 60000 });
  await page.getByRole('button', { name: 'Build the panorama' }).click();
  const sheet = page.getByText('the views hardly show how much their lens darkens towards its edge', { exact: false });
  await expect(sheet).toBeVisible({ timeout: 120000 });
  await expect(sheet).toContainText('a view turned by 90° or more views');
  await expect(page.getByText('Falloff', { exact: true })).toBeVisible();
});
