import { expect, test } from '@playwright/test';
import type { GroupingResult, LightRound } from '@tawny/contract';
import { getJson, newRound, sendFrames } from '../support/api';
import { latlongFrame } from '../support/frames';
import { turnDevice } from '../support/hands';

test('a frame in the wrong view is dragged into its own', async ({ page, request }) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 2 }, 'Sorting');
  // Two brackets of three, photographed without a pause and in another order each: metadata alone cannot know where the second begins.
  const files = await Promise.all([15, 60, 250, 250, 15, 60].map((d, i) => latlongFrame(`sort_${i}.jpg`, d, i)));
  await sendFrames(request, round.id, files);
  await page.goto(
    `/HERN/round/${round.id}?setup=${(await getJson<{ items: { id: string; name: string }[] }>(request, '/setups')).items[0].id}`,
  );
  await page.getByRole('button', { name: 'Frames by view' }).click();
  const before = await getJson<GroupingResult>(request, `/rounds/${round.id}/grouping`);
  const from = before.views.findIndex((v) => v.frames.some((f) => f.name === 'sort_3.jpg')) + 1;
  const target = from === 1 ? 2 : 1;
  const chip = page.getByLabel(/^sort_3\.jpg/);
  // What is said of the views as they are looked at moves the sheet: whoever misses a frame takes it again.
  await expect(async () => {
    await chip.scrollIntoViewIfNeeded();
    const a = (await chip.boundingBox())!;
    const b = (await page.getByTestId(`sheet-view-${target}`).boundingBox())!;
    await page.mouse.move(a.x + a.width / 2, a.y + a.height / 2);
    await page.mouse.down();
    await page.mouse.move(b.x + b.width / 2, b.y + 20, { steps: 8 });
    await page.mouse.up();
    await expect(page.getByTestId(`sheet-view-${target}`).getByLabel(/^sort_3\.jpg/)).toBeVisible({ timeout: 3000 });
  }).toPass();
  // Sorted, not kept yet, and the tablet is turned.
  await turnDevice(page);
  await page.getByRole('button', { name: 'Keep these views' }).click();
  await expect
    .poll(async () => (await getJson<LightRound>(request, `/rounds/${round.id}`)).manualViews?.length ?? 0)
    .toBeGreaterThan(0);
  const after = await getJson<GroupingResult>(request, `/rounds/${round.id}/grouping`);
  expect(after.views[target - 1].frames.map((f) => f.name)).toContain('sort_3.jpg');
});
