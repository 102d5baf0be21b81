import { expect, test } from '@playwright/test';
import { getJson } from '../support/api';
import { latlongBracket, withoutMetadata } from '../support/frames';

test('frames of a one-shot camera from a card: refused with a reason, then taken in and built', async ({ page }) => {
  await page.goto('/HERN/round');
  await page.getByRole('radio', { name: 'Slipway, shade' }).click();
  await expect(page.getByText('No station yet')).toBeVisible();
  await page.getByRole('button', { name: 'Make station' }).click();
  await page.getByRole('button', { name: 'Start round 1' }).click();
  await page.getByRole('radio', { name: '360° frames' }).click();
  await page.getByTestId('frame-files').setInputFiles([await withoutMetadata()]);
  await expect(page.getByTestId('upload-error')).toContainText('stripped.png: its metadata holds no exposure time');
  await page.getByTestId('frame-files').setInputFiles(await latlongBracket());
  await expect(page.getByText('4 frames in 1 views')).toBeVisible();
  await page.getByRole('button', { name: 'Build the panorama' }).click();
  await expect(page.getByText('No sun in this panorama: north needs another source')).toBeVisible({ timeout: 90000 });
});

test('a rebuild with other choices leaves the frames alone and is held against the first', async ({ page, request }) => {
  test.setTimeout(120000);
  const setups = (await getJson<{ items: { id: string; name: string }[] }>(request, '/setups')).items;
  const rounds = (await getJson<{ items: { id: string; name: string }[] }>(request, '/rounds')).items;
  const panoramas = (await getJson<{ items: { roundId: string }[] }>(request, '/panoramas')).items;
  const round = rounds.find((r) => r.id === panoramas[0].roundId)!;
  await page.goto(`/HERN/round/${round.id}?setup=${setups[0].id}`);
  await page.getByRole('button', { name: 'How to build' }).click();
  await page.getByRole('radio', { name: 'Believe the file' }).click();
  await page.getByRole('radio', { name: 'Keep', exact: true }).click();
  await page.getByRole('button', { name: 'Build again' }).click();
  await expect(page.getByTestId('difference-median')).toHaveText(/^\d\.\d{3}.?stop$/, { timeout: 90000 });
  const wipe = page.getByRole('slider', { name: 'Wipe between v001 and v002' });
  await wipe.focus();
  await page.keyboard.press('ArrowRight');
  await expect(wipe).toHaveAttribute('aria-valuenow', '55');
  const versions = (await getJson<{ items: { number: number; options: { camera: string } }[] }>(request, `/panoramas?roundId=${round.id}`)).items;
  expect(versions.map((v) => v.options.camera)).toEqual(['file', 'round']);
});

test('the theme switches in one tap and is kept', async ({ page }) => {
  await page.goto('/HERN/day');
  const ground = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  await page.getByRole('button', { name: 'Switch to lamplight theme' }).click();
  expect(await ground()).toBe('rgb(23, 22, 21)');
  await page.reload();
  await expect(page.getByRole('button', { name: 'Switch to daylight theme' })).toBeVisible();
  expect(await ground()).toBe('rgb(23, 22, 21)');
});

test('targets are at least 44 px and nothing runs out of the side', async ({ page }) => {
  for (const place of ['day', 'log', 'log/new', 'round', 'measure', 'handoff']) {
    await page.goto(`/HERN/${place}`);
    await expect(page.getByRole('main')).toBeVisible();
    await page.waitForTimeout(600);
    const small = await page.evaluate(() =>
      [...document.querySelectorAll('[role=button],[role=link],[role=radio],button,a')]
        .map((e) => ({ name: e.getAttribute('aria-label') ?? e.textContent, box: e.getBoundingClientRect() }))
        .filter(({ box }) => box.width > 0 && (box.height < 43.5 || box.width < 43.5))
        .map(({ name, box }) => `${name} ${box.width.toFixed(0)} x ${box.height.toFixed(0)}`),
    );
    expect(small, place).toEqual([]);
    expect(await page.evaluate(() => document.documentElement.scrollWidth), place).toBeLessThanOrEqual(390);
  }
});

test('an address that leads nowhere helps', async ({ page }) => {
  await page.goto('/HERN/nowhere');
  await expect(page.getByText('There is nothing at this address')).toBeVisible();
});
