import { expect, test, type Page } from '@playwright/test';
import type { Stroke } from '@tawny/core';
import type { CameraBody, Take } from '@tawny/contract';
import { bench, getJson, newTake, patchJson } from '../support/api';
import { facadePlate } from '../support/facade';
import { sendPlate, TAKE } from '../support/lit';

const SEEN = { tiltDeg: -3, rollDeg: -2, heightM: 1.7 };

/** A take whose camera nobody measured, with a plate of a house's corner. */
async function facadeTake(request: Parameters<typeof newTake>[0]) {
  const { setup } = await bench(request);
  const take = await newTake(request, setup.id, { ...TAKE, tiltDeg: null, heightM: null, headingDeg: null });
  const bodies = (await getJson<{ items: CameraBody[] }>(request, '/bodies')).items;
  const format = bodies.find((b) => b.id === take.bodyId)!.formats.find((f) => f.name === take.formatName)!;
  const { widthPx, heightPx } = format;
  const made = await facadePlate({ widthPx, heightPx, focalPx: (32 * widthPx) / format.gateWidthMm, ...SEEN });
  return { setup, take, size: { widthPx, heightPx }, ...made, plate: await sendPlate(request, take, made.png) };
}

/** Drags along a stroke, some pixels of the screen beside it. */
async function draw(page: Page, size: { widthPx: number; heightPx: number }, [x1, y1, x2, y2]: Stroke, aside = 0) {
  const picture = page.getByTestId('strokes-picture');
  await picture.evaluate((e) => e.scrollIntoView({ block: 'center' }));
  const box = (await picture.boundingBox())!;
  const at = (x: number, y: number): [number, number] => [
    box.x + (x / size.widthPx) * box.width + aside,
    box.y + (y / size.heightPx) * box.height + aside,
  ];
  // Not quite to the ends, as a finger would.
  const along = (t: number) => at(x1 + t * (x2 - x1), y1 + t * (y2 - y1));
  await page.mouse.move(...along(0.08));
  await page.mouse.down();
  await page.mouse.move(...along(0.5), { steps: 3 });
  await page.mouse.move(...along(0.92), { steps: 3 });
  await expect(page.getByTestId('magnifier')).toBeVisible();
  await page.mouse.up();
}

const seen = (s: Stroke, { widthPx, heightPx }: { widthPx: number; heightPx: number }) =>
  [s[0], s[2]].every((x) => x > 0 && x < widthPx) && [s[1], s[3]].every((y) => y > 0 && y < heightPx);

test('edges drawn by thumb tell the camera; grid and poles show whether it sits; the take carries it, and says when it is stale', async ({
  page,
  request,
}) => {
  const s = await facadeTake(request);
  await page.goto(`/HERN/plate-camera?setup=${s.setup.id}&take=${s.take.id}`);
  await expect(page.getByText(/Drag along edges that are parallel/)).toBeVisible();
  const families: [string, Stroke[]][] = [
    ['●', s.edges.upright],
    ['▲', s.edges.level[0]],
    ['■', s.edges.level[1]],
  ];
  for (const [mark, strokes] of families) {
    await page.getByRole('radio', { name: mark, exact: true }).click();
    for (const stroke of strokes.filter((e) => seen(e, s.size)).slice(0, 4)) await draw(page, s.size, stroke, 2);
  }
  const value = async (key: string) => parseFloat((await page.getByTestId(`found-${key}`).textContent())!.replace('−', '-')); // prettier-ignore
  // Drawn two pixels of the screen beside the edges, and laid on them: a finger's error would be a degree.
  expect(Math.abs((await value('tiltDeg')) - SEEN.tiltDeg)).toBeLessThan(0.3);
  expect(Math.abs((await value('rollDeg')) - SEEN.rollDeg)).toBeLessThan(0.3);
  expect(Math.abs((await value('focalLengthMm')) - 32)).toBeLessThan(1);
  await expect(page.getByTestId('found-heightM')).toHaveCount(0);

  // Grid and poles want a height: the doorstep of two metres gives it.
  await page.getByRole('radio', { name: 'Does it sit?' }).click();
  await expect(page.getByText(/want the lens height/)).toBeVisible();
  await page.getByRole('radio', { name: 'A length' }).click();
  await draw(page, s.size, [...s.step.from, ...s.step.to]);
  const length = page.getByLabel('It measures in m');
  await length.fill(String(0.84 * s.step.lengthM));
  await length.press('Enter');
  expect(Math.abs((await value('heightM')) - SEEN.heightM)).toBeLessThan(0.1);
  await expect(page.getByTestId('check-shapes')).toHaveAttribute('d', /^M/);

  // A reload loses nothing.
  await page.reload();
  await expect(page.getByTestId('found-heightM')).toBeVisible();
  const height = await page.evaluate(() => Math.max(...[...document.querySelectorAll('[role=main]')].map((e) => e.scrollHeight))); // prettier-ignore
  expect(height).toBeLessThan(4 * 844);
  await page.getByRole('button', { name: 'The take carries this camera' }).click();
  await expect(page.getByText('Measured', { exact: true })).toBeVisible();
  const carried = await getJson<Take>(request, `/takes/${s.take.id}`);
  expect(Math.abs(carried.pictureCamera!.tiltDeg - SEEN.tiltDeg)).toBeLessThan(0.3);

  // Somebody logs another tilt: what was measured with it is stale and says what changed.
  await patchJson(request, `/takes/${s.take.id}`, { tiltDeg: 2, version: carried.version });
  await page.reload();
  await expect(page.getByTestId('stale')).toContainText('Stale: logged camera changed since');
  await page.getByRole('button', { name: 'Back to what is logged' }).click();
  await expect(page.getByText('Logged', { exact: true })).toBeVisible();
});

test('a stroke is taken back, chosen and removed', async ({ page, request }) => {
  const s = await facadeTake(request);
  await page.goto(`/HERN/plate-camera?setup=${s.setup.id}&take=${s.take.id}`);
  await expect(page.getByTestId('strokes-picture')).toBeVisible();
  const [a, b] = s.edges.upright.filter((e) => seen(e, s.size));
  await draw(page, s.size, a);
  await draw(page, s.size, b);
  await expect(page.getByText(/● 2/)).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText(/● 1/)).toBeVisible();
  const picture = page.getByTestId('strokes-picture');
  await picture.evaluate((e) => e.scrollIntoView({ block: 'center' }));
  const box = (await picture.boundingBox())!;
  await page.mouse.click(
    box.x + ((a[0] + a[2]) / 2 / s.size.widthPx) * box.width,
    box.y + ((a[1] + a[3]) / 2 / s.size.heightPx) * box.height,
  );
  await page.getByRole('button', { name: 'Remove this stroke of ●' }).click();
  await expect(page.getByText(/● 0/)).toBeVisible();
});
