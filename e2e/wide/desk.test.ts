import { expect, test } from '@playwright/test';
import { quay } from '../support/api';

test('at the desk: rail, table, side by side, deep link to the measured panorama', async ({ page, request }) => {
  const { setup } = await quay(request);
  await page.goto(`/HERN/log?setup=${setup.id}`);
  await expect(page.getByRole('grid', { name: 'Takes' })).toBeVisible();
  await expect(page.getByRole('row')).toHaveCount(4);
  await page.getByRole('link', { name: 'Measure' }).click();
  await expect(page).toHaveURL(new RegExp(`measure\\?setup=${setup.id}`));
  await expect(page.getByTestId('north-yaw')).toBeVisible();
  const strip = (await page.getByTestId('panorama-strip').boundingBox())!;
  const yaw = (await page.getByTestId('north-yaw').boundingBox())!;
  expect(yaw.x).toBeGreaterThan(strip.x + strip.width);
  await page.goBack();
  await expect(page.getByRole('grid', { name: 'Takes' })).toBeVisible();
  await page.getByRole('link', { name: 'Handoff' }).click();
  await expect(page.getByText('Handoff 001')).toBeVisible();
});

test('places are reached by keyboard', async ({ page }) => {
  await page.goto('/HERN/day');
  await expect(page.getByTestId('light-line')).toBeVisible();
  const rail = page.getByRole('navigation', { name: 'Places' });
  await rail.getByRole('link', { name: 'Log' }).focus();
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/HERN\/log/);
});
