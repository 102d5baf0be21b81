import { expect, test } from '@playwright/test';
import type { LightRound, Location, Production, Setup, ShootDay } from '@tawny/contract';
import { getJson, HERN } from '../support/api';
import { trialDatabase } from '../support/database';
import { withServer } from '../support/server';

test('from an empty database to the first setup: a production, a place, a day, all with thumbs', async ({ page }) => {
  await trialDatabase((url) =>
    withServer(url, async (base) => {
      await page.goto(base);
      await expect(page.getByRole('heading', { name: 'Begin a production' })).toBeVisible();
      await expect(page.getByRole('button', { name: 'Begin', exact: true })).toBeDisabled();
      await page.getByRole('textbox', { name: 'Title' }).fill('The Tin Heron');
      await expect(page.getByRole('textbox', { name: /^Code/ })).toHaveValue('THER');
      await page.getByRole('radio', { name: 'Linear Rec. 709' }).click();
      await page.getByRole('button', { name: 'Begin', exact: true }).click();
      // Every place says the next step, and does it.
      for (const place of ['Log', 'Round', 'Measure', 'Handoff', 'Day']) {
        await page.getByRole('link', { name: place, exact: true }).click();
        await expect(page.getByRole('heading', { name: 'First shoot day' }), place).toBeVisible();
      }
      const begin = page.getByRole('button', { name: 'Begin day 1' });
      await expect(begin).toBeDisabled();
      await expect(page.getByTestId('day-unsaid')).toHaveText(
        'Still to be said: the name of the place, latitude, longitude.',
      );
      // West of Greenwich: the digits of a phone's number pad have no minus.
      const west = page.getByLabel('Longitude, east positive in °');
      await expect(west).toHaveAttribute('inputmode', 'text');
      await west.fill('-5.4');
      await west.press('Enter');
      await expect(page.getByTestId('day-unsaid')).toHaveText('Still to be said: the name of the place, latitude.');
      await page.getByRole('textbox', { name: 'Name' }).fill('Gannet Staithe');
      await page.context().grantPermissions(['geolocation'], { origin: base });
      await page.context().setGeolocation({ latitude: 54.4871, longitude: -0.6142 });
      await page.getByRole('button', { name: "This device's position" }).click();
      await expect(page.getByTestId('day-unsaid')).toHaveCount(0);
      await page.getByLabel('Date').fill('2026-10-14');
      await page.getByLabel('Call').fill('07:30');
      await begin.click();
      await expect(page.getByRole('textbox', { name: 'Name' })).toHaveValue('New setup');
      await page.goto(`${base}/`);
      await expect(page.getByRole('heading', { name: 'Wednesday 14 October 2026' })).toBeVisible();
      const read = async <T>(path: string) => (await (await fetch(`${base}/api/v1${path}`)).json()) as { items: T[] };
      expect((await read<Production>('/productions')).items).toEqual([
        expect.objectContaining({ code: 'THER', title: 'The Tin Heron', workingSpace: 'rec709', version: 1 }),
      ]);
      // The zone is that of the coordinates; nobody had to know its name.
      expect((await read<Location>('/productions/THER/locations')).items).toEqual([
        expect.objectContaining({ latitudeDeg: 54.4871, longitudeDeg: -0.6142, zone: 'Europe/London' }),
      ]);
      expect((await read<ShootDay>('/productions/THER/days')).items).toEqual([
        expect.objectContaining({ number: 1, date: '2026-10-14', callLocal: '07:30', unit: 'Main unit' }),
      ]);
      expect((await read<Setup>('/productions/THER/setups')).items).toHaveLength(1);
      // A round of a day that is not today is planned within its hours, and for any of them.
      await page.getByRole('link', { name: 'Round', exact: true }).click();
      await page.getByLabel('Lens height in m').fill('1.5');
      await page.getByLabel('Lens height in m').press('Tab');
      await page.getByRole('button', { name: 'Make station' }).click();
      const planned = page.getByLabel(/^Planned for, BST/);
      const begun = await planned.inputValue();
      expect(begun >= '07:30' && begun <= '19:00', begun).toBe(true);
      await planned.fill('16:10');
      await expect(page.getByText('° up, at 232°')).toBeVisible();
      await page.getByRole('button', { name: 'Start round 1' }).click();
      await expect(page.getByRole('heading', { name: 'Get frames' })).toBeVisible();
      expect((await read<LightRound>('/productions/THER/rounds')).items.map((r) => r.shotAt)).toEqual([
        '2026-10-14T15:10:00.000Z',
      ]);
      await page.goto(`${base}/`);
      // The next day is as this one, a day later, at the same place.
      await page.getByRole('button', { name: 'Day, place' }).click();
      await page.getByRole('button', { name: 'Begin day 2' }).click();
      await expect(page.getByRole('textbox', { name: 'Name' })).toHaveValue('New setup');
      expect((await read<ShootDay>('/productions/THER/days')).items.map((d) => d.date).sort()).toEqual([
        '2026-10-14',
        '2026-10-15',
      ]);
      expect((await read<Location>('/productions/THER/locations')).items).toHaveLength(1);
      await page.goto(`${base}/THER/place`);
      await page.getByRole('radio', { name: 'Day 1 · Wed 14 Oct' }).click();
      await expect(page.getByRole('heading', { name: 'Wednesday 14 October 2026' })).toBeVisible();
    }),
  );
});

test('a second production brings the kit of the first along; a code that is taken is refused by its field', async ({
  page,
  request,
}) => {
  await page.goto('/HERN/day');
  await page.getByRole('link', { name: 'Productions' }).click();
  await page.getByRole('button', { name: 'Begin a production' }).click();
  await page.getByRole('textbox', { name: 'Title' }).fill('Tin Heron pickups');
  await page.getByRole('textbox', { name: /^Code/ }).fill('hern');
  await page.getByRole('radio', { name: 'That of The Tin Heron' }).click();
  await page.getByRole('button', { name: 'Begin', exact: true }).click();
  await expect(page.getByText('HERN belongs to another production: choose another')).toBeVisible();
  const code = `P${String(Date.now()).slice(-6)}`;
  await page.getByRole('textbox', { name: /^Code/ }).fill(code);
  await page.getByRole('button', { name: 'Begin', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'First shoot day' })).toBeVisible();
  for (const kind of ['bodies', 'lenses', 'rigs']) {
    const names = async (base: string) =>
      (await (await request.get(`${base}/${kind}`)).json()).items.map((i: { name: string }) => i.name);
    expect(await names(`/api/v1/productions/${code}`), kind).toEqual(await names(HERN));
  }
  // Its lenses and bodies are its own: what refers to them refers inside the production.
  const rigs = (await getJson<{ items: { id: string }[] }>(request, '/rigs')).items;
  expect((await request.get(`/api/v1/productions/${code}/rigs/${rigs[0].id}`)).status()).toBe(404);
});
