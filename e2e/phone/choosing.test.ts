import { randomUUID } from 'node:crypto';
import { expect, test } from '@playwright/test';
import type { Job, LightRound, SetupGaps } from '@tawny/contract';
import { ended, getJson, postJson, sendFiles } from '../support/api';
import { panoramaFile, plainPanorama } from '../support/frames';
import { litSetup } from '../support/lit';

test('which panorama is measured and handed off is chosen by its picture; a light that is borrowed is said', async ({
  page,
  request,
}) => {
  const { panorama, setupId } = await litSetup(request);
  const { stationId } = await getJson<LightRound>(request, `/rounds/${panorama.roundId}`);
  const id = randomUUID();
  const second = await postJson(request, '/rounds', {
    id,
    stationId,
    name: 'Second round',
    lightCondition: 'cloud over',
    shotAt: '2026-10-14T16:00:00Z',
    rig: { projection: 'latlong', fovDeg: 360, views: 1 },
  });
  expect(second.status).toBe(201);
  const job = (await sendFiles(request, `/rounds/${id}/panoramas`, [await panoramaFile('two.exr', plainPanorama())]))
    .body as Job;
  expect((await ended(job)).state).toBe('done');
  // From a round's own page it is that round which is measured, also where the day suggests another.
  await page.goto(`/HERN/round/${id}`);
  await page.getByRole('button', { name: 'Measure north and exposure' }).click();
  await expect(page.getByRole('heading', { name: 'Second round, cloud over' })).toBeVisible();
  await page.goto(`/HERN/measure?setup=${setupId}`);
  const picker = page.getByRole('radiogroup', { name: 'Panorama', exact: true });
  await expect(picker.getByRole('radio')).toHaveCount(2);
  // The newer one is of another light than the setup is worked in.
  await expect(picker.getByRole('radio', { name: 'Test round, bench light, version 1' })).toBeChecked();
  await expect(page.getByRole('heading', { name: 'Test round, bench light' })).toBeVisible();
  const narrowest = async () =>
    Math.min(
      ...(await picker.locator('img').evaluateAll((all) => all.map((i) => (i as HTMLImageElement).naturalWidth))),
    );
  await expect.poll(narrowest).toBeGreaterThan(100);
  await picker.getByRole('radio', { name: 'Second round, cloud over, version 1' }).click();
  await expect(page.getByRole('heading', { name: 'Second round, cloud over' })).toBeVisible();
  // An overcast round is no gap for ever: that its north is unknown can be accepted, and taken back.
  const lacksNorth = async () =>
    (await getJson<{ items: SetupGaps[] }>(request, '/gaps')).items
      .find((g) => g.setupId === setupId)!
      .gaps.some((g) => g.what === 'north of Second round');
  expect(await lacksNorth()).toBe(true);
  await page.getByRole('button', { name: 'Accept: north unknown' }).click();
  await expect(page.getByText(/Accepted: north unknown/)).toBeVisible();
  expect(await lacksNorth()).toBe(false);
  await page.getByRole('button', { name: 'Ask for north again' }).click();
  await expect(page.getByRole('button', { name: 'Accept: north unknown' })).toBeVisible();
  expect(await lacksNorth()).toBe(true);
  await page.getByRole('button', { name: 'Go to the handoff' }).click();
  await expect(page.getByText('Borrowed: it was shot in "cloud over", this take in "bench light"')).toBeVisible();
  await expect(page.getByText(/complete for lighting in the frame of the set/)).toBeVisible();
  await page.getByRole('radio', { name: 'Test round, bench light, version 1' }).click();
  await expect(page.getByText(/Borrowed/)).toHaveCount(0);
});
