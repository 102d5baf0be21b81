import { expect, test, type Locator, type Page } from '@playwright/test';
import type { Calibration } from '@tawny/contract';
import { getJson } from '../support/api';
import { CHART, CHART_IN_PLATE, chartSetup, PLATE_SEES, PLATE_STOPS } from '../support/chart';
import { markShares, turnDevice, turnTo } from '../support/hands';

const stored = async (request: Parameters<typeof chartSetup>[0], id: string) =>
  (await getJson<{ calibration: Calibration | null }>(request, `/panoramas/${id}/calibration`)).calibration;

/** Moves a corner that stands at some shares of a picture's sides by a few pixels of the screen, and reads the magnifier on the way. */
async function nudge(page: Page, picture: Locator, at: { x: number; y: number }, by: { x: number; y: number }) {
  const box = (await picture.boundingBox())!;
  const [x, y] = [box.x + at.x * box.width, box.y + at.y * box.height];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + by.x, y + by.y, { steps: 3 });
  await expect(page.getByTestId('magnifier')).toBeVisible();
  const value = await page.getByTestId('magnifier-value').textContent();
  await page.mouse.up();
  return value;
}

test('the chart is found by itself, the colours are matched, and the sight shows them so', async ({
  page,
  request,
}) => {
  const { panorama, setupId } = await chartSetup(request);
  await page.goto(`/HERN/measure?setup=${setupId}&panorama=${panorama.id}`);
  const strip = page.getByTestId('panorama-strip');
  await turnTo(page, strip, CHART.azimuthDeg);
  await page.getByRole('radio', { name: 'Chart' }).click();
  await page.getByRole('button', { name: 'Find the chart in both' }).click();
  await expect(page.getByTestId('chart-todo')).toHaveText('Both charts are marked.', { timeout: 60000 });
  await page.getByRole('button', { name: 'Match the colours' }).click();
  await page.getByRole('button', { name: 'Colour', exact: true }).click();
  const after = page.getByTestId('colour-difference');
  await expect(after).toBeVisible({ timeout: 60000 });
  expect(parseFloat((await after.textContent())!)).toBeLessThan(1);
  await expect(page.getByTestId('patch-grid').getByRole('img')).toHaveCount(24);
  await page.getByRole('radio', { name: 'Before' }).click();
  await expect(page.getByRole('img', { name: /^Patch 13: [3-9]/ })).toBeVisible();
  const { colour } = (await stored(request, panorama.id))!;
  colour!.matrix.forEach((v, k) => expect(Math.abs(v - PLATE_SEES[k])).toBeLessThan(0.06));

  // Where the plate is seen: its levels beside the panorama's, in one unit.
  await page.goto(`/HERN/sight?setup=${setupId}&panorama=${panorama.id}`);
  await page.getByRole('button', { name: 'Levels' }).click();
  await expect(page.getByTestId('levels-plate')).toContainText(/Plate: black −\d\.\d, middle [−+]\d\.\d, highlights \+\d\.\d stop from mid grey/); // prettier-ignore
  await expect(page.getByTestId('levels-panorama')).toContainText(/Panorama: black .* stop from mid grey/);
  await expect(page.getByTestId('scopes')).toBeVisible();
  await page.getByRole('button', { name: 'Measure black, grain and blur of the plate' }).click();
  await expect(page.getByTestId('plate-character')).toContainText(/darkest 0\.\d+ .*, grain .* px wide, .*It goes into the package/); // prettier-ignore
});

test('a grey of the chart is marked by its corners under the magnifier: the value is there, and the gain follows', async ({
  page,
  request,
}) => {
  const { panorama, setupId } = await chartSetup(request);
  await page.goto(`/HERN/measure?setup=${setupId}&panorama=${panorama.id}`);
  const plate = page.getByTestId('plate-marker').first();
  const { left, right, top, bottom } = CHART_IN_PLATE;
  // The patch of mid grey, fourth of the lowest row.
  const grey = {
    left: left + ((3 + 0.15) / 6) * (right - left),
    right: left + ((3 + 0.85) / 6) * (right - left),
    top: top + ((3 + 0.15) / 4) * (bottom - top),
    bottom: top + ((3 + 0.85) / 4) * (bottom - top),
  };
  await expect(plate).toBeVisible();
  await page.waitForLoadState('networkidle');
  await plate.evaluate((e) => e.scrollIntoView({ block: 'center' }));
  // Small on a phone: a generous box first, then corner by corner.
  await markShares(page, plate, { left: grey.left - 0.1, right: grey.right + 0.12, top: grey.top - 0.2, bottom: grey.bottom + 0.12 }); // prettier-ignore
  const box = (await plate.boundingBox())!;
  const px = (x: number, y: number) => ({ x: x * box.width, y: y * box.height });
  await nudge(page, plate, { x: grey.left - 0.1, y: grey.top - 0.2 }, px(0.1, 0.2));
  await nudge(page, plate, { x: grey.right + 0.12, y: grey.top - 0.2 }, px(-0.12, 0.2));
  await nudge(page, plate, { x: grey.right + 0.12, y: grey.bottom + 0.12 }, px(-0.12, -0.12));
  const value = await nudge(page, plate, { x: grey.left - 0.1, y: grey.bottom + 0.12 }, px(0.1, -0.12));
  // Three channels, and how far from mid grey: 0.19 x 0.55 is 0.8 stop below it.
  expect(value).toMatch(/^0\.10\d* 0\.10\d* 0\.10\d* · −0\.\d\d stop$/);

  // Nothing of it is stored yet: turned and turned back, the corners are still there to measure by.
  await turnDevice(page);
  const strip = page.getByTestId('panorama-strip');
  const patch = { azimuth: CHART.azimuthDeg + (3.5 / 6 - 0.5) * CHART.acrossDeg, elevation: CHART.elevationDeg - (3.5 / 4 - 0.5) * CHART.upDeg }; // prettier-ignore
  await strip.evaluate((e) => e.scrollIntoView({ block: 'center' }));
  await turnTo(page, strip, patch.azimuth);
  for (let k = 0; k < 2; k++) await page.getByRole('button', { name: 'Closer' }).first().click();
  await page.getByRole('button', { name: 'Mark the card in the panorama' }).click();
  await strip.evaluate((e) => e.scrollIntoView({ block: 'center' }));
  const label = (await strip.getAttribute('aria-label'))!;
  const [, azimuth, span] = label.match(/looking (-?\d+) degrees, (\d+) degrees wide/)!.map(Number);
  const seen = (await strip.boundingBox())!;
  const perDeg = seen.width / span;
  const at = { x: seen.x + seen.width / 2 + (patch.azimuth - azimuth) * perDeg, y: seen.y + seen.height / 2 - patch.elevation * perDeg }; // prettier-ignore
  await page.mouse.move(at.x - 1.4 * perDeg, at.y - 1.4 * perDeg);
  await page.mouse.down();
  await page.mouse.move(at.x, at.y, { steps: 3 });
  await page.mouse.move(at.x + 1.4 * perDeg, at.y + 1.4 * perDeg, { steps: 3 });
  await expect(strip.getByTestId('magnifier')).toBeVisible();
  await page.mouse.up();
  await expect(page.getByText('Card marked.')).toBeVisible();
  await page.getByRole('button', { name: 'Measure the gain' }).click();
  await expect(page.getByTestId('gain-stops')).toBeVisible();
  const { scale } = (await stored(request, panorama.id))!;
  expect(Math.abs(scale!.sources[0].value - PLATE_STOPS)).toBeLessThan(0.05);
});
