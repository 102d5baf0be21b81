import { randomUUID } from 'node:crypto';
import { expect, test } from '@playwright/test';
import type { Calibration, CameraBody, Exposures, Plate, Take } from '@tawny/contract';
import { linearToSrgb, srgbToLinear } from '@tawny/core';
import { getJson, newTake, postJson, removeJson, sendFiles } from '../support/api';
import { addPlate, calibrationOf, CARD_CODE, evenPng, litSetup, measureCard, TAKE } from '../support/lit';
import { CHART, CHART_IN_PLATE, chartSetup, PLATE_STOPS } from '../support/chart';
import { markShares, turnTo } from '../support/hands';

const brighter = (stops: number) => Math.round(255 * linearToSrgb(2 ** stops * srgbToLinear(CARD_CODE / 255)));

test('an outlier is named and set aside, a take of another body is carried; the card of the wrong take is set aside by hand', async ({
  page,
  request,
}) => {
  const { panorama, take, setupId } = await litSetup(request);
  const under = { lightCondition: 'bench light', shotAt: take.shotAt };
  const gorse = (await getJson<{ items: CameraBody[] }>(request, '/bodies')).items.find((b) => b.name === 'Gorse 16')!;
  const other = await newTake(request, setupId, { ...TAKE, take: 84, camera: 'B', bodyId: gorse.id, formatName: gorse.formats[0].name, ...under }); // prettier-ignore
  const takes: Take[] = [take];
  for (const number of [81, 82, 83]) takes.push(await newTake(request, setupId, { ...TAKE, take: number, ...under }));
  for (const [k, of] of takes.entries()) {
    // The last one had a filter that nobody logged.
    const plate = await addPlate(request, of, brighter(k === 3 ? -2 : 0));
    expect((await measureCard(request, panorama.id, plate.id)).status).toBe(201);
  }
  const name = ({ slate, take: number, camera }: Take) => `${slate}/${number}${camera}`;
  await page.goto(`/HERN/measure?setup=${setupId}&panorama=${panorama.id}`);
  // Open by itself, for there is a doubt.
  const panel = page.getByTestId('exposures');
  await expect(panel).toContainText(`settings of ${name(takes[3])}: a filter of 2.0 stops was there and is not in the log`); // prettier-ignore
  await expect(panel).toContainText(`settings of ${name(takes[3])}, set aside`);
  const gain = async (of: Take) => parseFloat((await page.getByTestId(`exposure-${name(of)}`).textContent())!.replace('−', '-')); // prettier-ignore
  expect((await gain(takes[3])) - (await gain(take))).toBeCloseTo(-2, 1);
  await expect(panel).toContainText('Gorse 16');
  await expect(panel).toContainText('Carried');
  const told = (await getJson<Exposures>(request, `/panoramas/${panorama.id}/exposures`)).takes;
  const of = (t: Take) => told.find(({ takeId }) => takeId === t.id)!;
  // By settings, or by a round in which somebody held it beside the first body: wider either way.
  expect(await gain(other)).toBeCloseTo(of(other).gainStops, 1);
  expect(of(other).uncertaintyStops!).toBeGreaterThan(of(take).uncertaintyStops!);

  // One card is set aside, and why is asked: its take is carried, the others' cards count on, nothing is doubted.
  await page.getByRole('button', { name: `What measured ${name(takes[3])}` }).click();
  await page.getByTestId(`aside-${name(takes[3])}-scale`).click();
  await page
    .getByLabel(`Why the grey card of ${name(takes[3])} counts no more`)
    .fill('a filter was on that nobody logged');
  await page.getByRole('button', { name: 'Set the grey card aside' }).click();
  await expect(panel).not.toContainText('is not in the log');
  await expect(page.getByTestId(`aside-${name(takes[3])}-scale`)).toHaveCount(0);
  // That of a take that nothing contradicts is offered when its row is touched.
  await expect(page.getByTestId(`aside-${name(takes[2])}-scale`)).toHaveCount(0);
  await page.getByRole('button', { name: `What measured ${name(takes[2])}` }).click();
  await expect(page.getByTestId(`aside-${name(takes[2])}-scale`)).toBeVisible();
  expect(await gain(takes[3])).toBeCloseTo(await gain(take), 1);

  // A person sets all cards of the panorama aside and says why: nothing is measured then, and nothing is doubted.
  await page.getByRole('button', { name: 'Measured before', exact: true }).click();
  await page.getByLabel('Why another one counts').fill('the wrong plates were marked');
  await page.getByRole('button', { name: 'Set the gain aside' }).click();
  await expect(panel).not.toContainText('is not in the log');
  await expect(panel).not.toContainText('set aside');
  await expect.poll(() => calibrationOf(request, panorama.id)).toMatchObject({ scale: null, reason: 'the wrong plates were marked' }); // prettier-ignore
});

test('where no chart was there, two things are marked in both pictures and the colours are matched by them', async ({
  page,
  request,
}) => {
  const { panorama, setupId } = await chartSetup(request);
  await page.goto(`/HERN/measure?setup=${setupId}&panorama=${panorama.id}`);
  const [strip, plate] = [page.getByTestId('panorama-strip'), page.getByTestId('plate-marker')];
  await expect(plate).toBeVisible();
  await page.waitForLoadState('networkidle');
  await page.getByRole('radio', { name: 'Regions' }).click();
  await expect(page.getByTestId('region-todo')).toHaveText(/^Without a chart: drag a box/);
  const { left, right, top, bottom } = CHART_IN_PLATE;
  // White, then orange: patches 19 and 7.
  for (const [k, thing] of [
    [18, 'White 90 %'],
    [6, 'Anything'],
  ] as const) {
    const [column, row] = [k % 6, Math.floor(k / 6)];
    await plate.evaluate((e) => e.scrollIntoView({ block: 'center' }));
    await markShares(page, plate, {
      left: left + ((column + 0.2) / 6) * (right - left),
      right: left + ((column + 0.8) / 6) * (right - left),
      top: top + ((row + 0.2) / 4) * (bottom - top),
      bottom: top + ((row + 0.8) / 4) * (bottom - top),
    });
    await expect(page.getByTestId('region-todo')).toHaveText('Now mark the same region in the panorama.');
    const at = { azimuth: CHART.azimuthDeg + ((column + 0.5) / 6 - 0.5) * CHART.acrossDeg, elevation: CHART.elevationDeg - ((row + 0.5) / 4 - 0.5) * CHART.upDeg }; // prettier-ignore
    await strip.evaluate((e) => e.scrollIntoView({ block: 'center' }));
    await turnTo(page, strip, at.azimuth);
    if (k === 18) for (let step = 0; step < 2; step++) await page.getByRole('button', { name: 'Closer' }).first().click(); // prettier-ignore
    await page.getByRole('button', { name: 'Mark the region in the panorama' }).click();
    await strip.evaluate((e) => e.scrollIntoView({ block: 'center' }));
    const [, azimuth, span] = (await strip.getAttribute('aria-label'))!.match(/looking (-?\d+) degrees, (\d+) degrees wide/)!.map(Number); // prettier-ignore
    const seen = (await strip.boundingBox())!;
    const perDeg = seen.width / span;
    const middle = { x: seen.x + seen.width / 2 + (at.azimuth - azimuth) * perDeg, y: seen.y + seen.height / 2 - at.elevation * perDeg }; // prettier-ignore
    await page.mouse.move(middle.x - perDeg, middle.y - perDeg);
    await page.mouse.down();
    await page.mouse.move(middle.x + perDeg, middle.y + perDeg, { steps: 4 });
    await page.mouse.up();
    await expect(page.getByText('Region marked.')).toBeVisible();
    await page.getByRole('radio', { name: thing }).click();
    await page.getByRole('button', { name: 'Take this pair' }).click();
  }
  await page.getByRole('button', { name: 'Match the colours by 2 regions' }).click();
  await expect(page.getByRole('button', { name: 'Colour', exact: true })).toContainText(/Matched by 2 regions/, { timeout: 60000 }); // prettier-ignore
  const { calibration } = await getJson<{ calibration: Calibration }>(request, `/panoramas/${panorama.id}/calibration`);
  const colour = calibration.colour!;
  expect(colour.regions.map((r) => [r.name, r.reflectance])).toEqual([
    ['white reference', 0.9],
    ['region', null],
  ]);
  expect(Math.abs(colour.gainStops - PLATE_STOPS)).toBeLessThan(colour.uncertaintyStops);
});

test('a card that was photographed and logged is measured in by its picture; what is looked at of the take stays its plate', async ({
  page,
  request,
}) => {
  const { panorama, take, setupId } = await litSetup(request);
  const own = await addPlate(request, take, 90);
  const buffer = await evenPng(new Uint8Array(320 * 180 * 3).fill(CARD_CODE), 'srgb');
  const file = { name: 'card.png', mimeType: 'image/png', buffer };
  await sendFiles(request, `/references?setupId=${setupId}&kind=greyCard&takeId=${take.id}&lightCondition=bench+light`, [file]); // prettier-ignore
  await page.goto(`/HERN/measure?setup=${setupId}&panorama=${panorama.id}&take=${take.id}`);
  const pictures = page.getByRole('radiogroup', { name: 'Picture' });
  await expect(pictures.getByRole('radio')).toHaveCount(2);
  await expect(pictures.getByRole('radio', { name: `Plate, ${own.name}` })).toBeChecked();
  await pictures.getByRole('radio', { name: 'Grey card, bench light' }).click();
  await expect(pictures.getByRole('radio', { name: 'Grey card, bench light' })).toBeChecked();
  await expect(page.getByText(/^card\.png · 320 × 180 px/)).toBeVisible();
  const plates = (await getJson<{ items: Plate[] }>(request, `/plates?takeId=${take.id}`)).items;
  expect(plates.map((p) => [p.name, p.referenceId === null])).toEqual([
    ['card.png', false],
    [own.name, true],
  ]);
  const marker = page.getByTestId('plate-marker');
  await marker.evaluate((e) => e.scrollIntoView({ block: 'center' }));
  await markShares(page, marker, { left: 0.3, right: 0.7, top: 0.3, bottom: 0.7 });
  await expect(page.getByTestId('card-todo')).toHaveText('Now mark the same card in the panorama.');
  // No chart was photographed: the take's own plate is what one would look for it in.
  await page.getByRole('radio', { name: 'Chart', exact: true }).click();
  await expect(pictures.getByRole('radio', { name: `Plate, ${own.name}` })).toBeVisible();
  await page.goto(`/HERN/plate-camera?setup=${setupId}&take=${take.id}`);
  await expect(page.getByRole('radio', { name: own.name })).toBeChecked();
});

test('without a card in the panorama a level one in the plate alone tells the gain, and says how widely; of two cards in the kit it asks which', async ({
  page,
  request,
}) => {
  const { panorama, take, setupId } = await litSetup(request);
  await addPlate(request, take);
  const second = await postJson(request, '/objects', { id: randomUUID(), name: 'Worn card', kind: 'greyCard', reflectance: 0.12, measuredOn: '2026-10-01' }); // prettier-ignore
  expect(second.status, JSON.stringify(second.body)).toBe(201);
  await page.goto(`/HERN/measure?setup=${setupId}&panorama=${panorama.id}`);
  const plate = page.getByTestId('plate-marker');
  await expect(plate).toBeVisible();
  await page.getByRole('radio', { name: 'Plate alone' }).click();
  await expect(page.getByTestId('surface-todo')).toHaveText(/^Without a card in the panorama/);
  await plate.evaluate((e) => e.scrollIntoView({ block: 'center' }));
  await markShares(page, plate, { left: 0.3, right: 0.7, top: 0.3, bottom: 0.7 });
  await expect(page.getByTestId('surface-todo')).toHaveText('It is marked.');
  // There is one grey ball in the kit, and nothing to ask.
  await expect(page.getByRole('radiogroup', { name: "Which of the kit's" })).toHaveCount(0);
  await page.getByRole('radio', { name: 'Card, lies level' }).click();
  await page.getByRole('radio', { name: 'Worn card' }).click();
  await page.getByRole('button', { name: 'Measure the gain' }).click();
  await expect(page.getByText(/^The level card stands in the plate alone/)).toBeVisible();
  const { calibration } = await getJson<{ calibration: Calibration }>(request, `/panoramas/${panorama.id}/calibration`);
  const { adopted, card } = calibration.scale!;
  expect(card).toMatchObject({ surface: { kind: 'level' }, reflectance: 0.12 });
  await expect(page.getByTestId('gain-stops')).toContainText(adopted.value.toFixed(2));
  await page.getByRole('button', { name: 'Exposure of all takes' }).click();
  await expect(page.getByTestId('exposures')).toContainText(/surface in /);
  await removeJson(request, `/objects/${second.body.id}?version=${second.body.version}`);
});
