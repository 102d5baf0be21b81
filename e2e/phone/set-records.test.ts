import { randomUUID } from 'node:crypto';
import { expect, test } from '@playwright/test';
import { DateTime } from 'luxon';
import type { CameraClock, Location, PanoramaRig, Reference, Setup, Take } from '@tawny/contract';
import { glarePerSr } from '@tawny/core';
import { getJson, postJson } from '../support/api';
import { rawStill, sunFrame, sunGlarePerSr } from '../support/frames';
import { choose } from '../support/hands';

test("a photographed clock gives the camera's offset, and the log uses it", async ({ page, request }) => {
  const setup = (await getJson<{ items: Setup[] }>(request, '/setups')).items.find((s) => s.name === 'Net loft')!;
  const take = (await getJson<{ items: Take[] }>(request, `/takes?setupId=${setup.id}`)).items[0];
  await page.goto(`/HERN/log/records?setup=${setup.id}&page=references`);
  await page.getByRole('radio', { name: 'Clock', exact: true }).tap();
  await page.getByRole('button', { name: 'Simulated plate camera' }).tap();
  const photograph = page
    .getByRole('img', { name: /^Clock, / })
    .or(page.getByLabel(/^Clock, /))
    .first();
  await expect(photograph).toBeVisible({ timeout: 60000 });
  // The face is what a person reads off the picture: the set's true time, four minutes before the take.
  const { zone } = (await getJson<{ items: Location[] }>(request, '/locations')).items[0];
  const face = DateTime.fromISO(take.shotAt, { zone }).minus({ minutes: 4 }).toFormat('HH:mm:ss');
  const shown = page.getByLabel('The clock in the picture shows').first();
  await shown.fill('25:00:00');
  await expect(page.getByText(/hours, minutes and seconds/).first()).toBeVisible();
  await shown.fill(face);
  await expect(page.getByTestId('clock-offset').first()).toContainText('fast');
  await page.getByRole('button', { name: 'Use for camera A' }).tap();
  await expect(page.getByRole('button', { name: 'Clock saved' })).toBeVisible();
  const clocks = (await getJson<{ items: CameraClock[] }>(request, `/clocks?dayId=${setup.dayId}`)).items;
  const mine = clocks.find((c) => c.camera === 'A')!;
  const reference = (await getJson<{ items: Reference[] }>(request, `/references?setupId=${setup.id}`)).items.find(
    (r) => r.kind === 'clock',
  )!;
  expect(mine).toMatchObject({ source: 'photographed clock', referenceId: reference.id });
  // The simulated camera runs 3.4 s fast, which no tag of its file tells.
  expect(Math.abs(mine.offsetS - 3.4)).toBeLessThan(mine.uncertaintyS);
  // It may have been the camera of a rig: each of the kit has a clock of its own.
  await page.getByRole('radio', { name: 'Panorama rig Fathom 360' }).first().tap();
  await page.getByRole('button', { name: 'Use for panorama rig Fathom 360' }).tap();
  await expect(page.getByRole('button', { name: 'Clock saved' })).toBeVisible();
  const rigs = (await getJson<{ items: PanoramaRig[] }>(request, '/rigs')).items;
  const after = (await getJson<{ items: CameraClock[] }>(request, `/clocks?dayId=${setup.dayId}`)).items;
  expect(after.filter((c) => c.camera === 'Rig').map((c) => rigs.find((r) => r.id === c.rigId)?.name)).toEqual(
    expect.arrayContaining(['Fathom 360', rigs.find((r) => r.kind === 'bodyAndLens')!.name]),
  );
});

test('cells of a take filled from a raw still: both are shown where log and file differ, and one is chosen', async ({
  page,
  request,
}) => {
  const setup = (await getJson<{ items: Setup[] }>(request, '/setups')).items.find((s) => s.name === 'Net loft')!;
  const take = (await getJson<{ items: Take[] }>(request, `/takes?setupId=${setup.id}`)).items.at(-1)!;
  await page.goto(`/HERN/log/new?setup=${setup.id}&take=${take.id}`);
  await page.getByRole('button', { name: /^From a file/ }).tap();
  const still = await rawStill('still_22b.dng', {
    iso: 1600,
    fNumberTag: 5.6,
    lensModel: 'Skerry zoom 24-70',
    focalLengthMm: 28,
  });
  await choose(page, 'Read a file', { ...still, name: 'cut short.dng', buffer: still.buffer.subarray(0, 300) });
  await expect(page.getByText(/cut short\.dng/)).toBeVisible();
  await choose(page, 'Read a file', await rawStill('other.dng', { lensModel: 'Gorse 21' }));
  await expect(page.getByText('The kit does not know the lens "Gorse 21"')).toBeVisible();
  await choose(page, 'Read a file', still);
  await expect(page.getByText('still_22b.dng, 1920 × 1080 px upright')).toBeVisible();
  await expect(page.getByText('Skerry zoom 24-70: file and log agree')).toBeVisible();
  // f/5.6 through a lens that lets 74 % through.
  await expect(page.getByText(/f\/5\.6 and a transmission of 0\.74 make T6\.5/)).toBeVisible();
  await page.getByRole('radio', { name: 'File 1600' }).tap();
  await expect(page.getByText('1600, from file')).toBeVisible();
  await page.getByRole('button', { name: `Save take ${take.take}` }).tap();
  await expect(page.getByRole('button', { name: /^Next take/ })).toBeVisible();
  const saved = await getJson<Take>(request, `/takes/${take.id}`);
  // Only what was chosen came from the file; the log's own stop stands.
  expect(saved).toMatchObject({ ei: 1600, tStop: take.tStop, fromFile: { ei: 'still_22b.dng' } });
});

test('the glare of a rig is measured from two brackets and kept in the kit', async ({ page, request }) => {
  const id = randomUUID();
  await postJson(request, '/rigs', {
    id,
    name: `Glare trial ${id.slice(0, 4)}`,
    serial: 'GT-1',
    kind: 'oneShot',
    statement: { projection: 'equidistant', fovDeg: 180, views: 1 },
  });
  await page.goto('/HERN/kit');
  await page.getByRole('button', { name: `Change Glare trial ${id.slice(0, 4)}` }).tap();
  const ladder = [2, 8, 32, 128, 512, 2048, 8192, 32768];
  const bracket = (name: string, seen: boolean, rungs: number[]) =>
    Promise.all(rungs.map((d, i) => sunFrame(`${name}_${i}.jpg`, d, i, seen)));
  const covered = await bracket('covered', false, ladder.slice(0, 4));
  // Cut off in the shortest frame, the sun's light is not known.
  await choose(page, /sun seen$/, await bracket('short', true, ladder.slice(0, 4)));
  await choose(page, /sun covered$/, covered);
  await page.getByRole('button', { name: 'Measure the glare' }).tap();
  await expect(page.getByTestId('glare-error')).toContainText('cuts it off', { timeout: 60000 });
  await choose(page, /sun seen$/, await bracket('seen', true, ladder));
  await page.getByRole('button', { name: 'Measure the glare' }).tap();
  await expect(page.getByTestId('rig-glare')).toContainText('% of a light is spread', { timeout: 60000 });
  const { statement } = await getJson<PanoramaRig>(request, `/rigs/${id}`);
  for (const angle of [15, 30, 55])
    expect(Math.abs(glarePerSr(statement.glare!.curve, angle) / sunGlarePerSr(angle) - 1)).toBeLessThan(0.15);
});
