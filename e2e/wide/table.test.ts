import { expect, test } from '@playwright/test';
import type { Setup, Take } from '@tawny/contract';
import { getJson, patchJson } from '../support/api';

const quay = async (request: Parameters<typeof getJson>[0]) =>
  (await getJson<{ items: Setup[] }>(request, '/setups')).items.find((s) => s.name === 'Quay, low sun')!;

test('the table is edited, filtered, put together and sorted without a mouse in the cells', async ({
  page,
  request,
}) => {
  const setup = await quay(request);
  await page.goto(`/HERN/log?setup=${setup.id}`);
  const grid = page.getByRole('grid', { name: 'Takes' });
  await grid.focus();
  for (let k = 0; k < 7; k++) await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Enter');
  await page.keyboard.type('500');
  await page.keyboard.press('Enter');
  await expect(grid.getByRole('row').nth(1)).toContainText('500');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Control+d');
  await expect(grid.getByRole('row').nth(2)).toContainText('500');
  const takes = async () => (await getJson<{ items: Take[] }>(request, `/takes?setupId=${setup.id}`)).items;
  await expect.poll(async () => (await takes()).filter((t) => t.ei === 500).length).toBe(2);
  // A stop that the lens does not have is refused in words, the cell keeps its value.
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('Enter');
  await page.keyboard.type('1');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('table-fault')).toContainText('opens to T1.8; T1 is wider than it goes');
  await page.getByLabel('Filter takes').fill('circled');
  await expect(grid.getByRole('row')).toHaveCount(2);
  await page.getByLabel('Filter takes').fill('');
  await page.getByRole('radio', { name: 'By status' }).click();
  await expect(grid.getByText(/Circled\s+·\s+1 takes/)).toBeVisible();
  await page.getByRole('radio', { name: 'No groups' }).click();
  await page.getByRole('columnheader', { name: 'Sort by Take' }).click();
  await expect(grid.getByRole('row').nth(1)).toContainText('14A / 1');
  for (const t of await takes())
    if (t.ei === 500) await patchJson(request, `/takes/${t.id}`, { ei: 800, version: t.version });
});

test('a take is removed and taken back; a table is imported after a look', async ({ page, request }) => {
  const setup = (await getJson<{ items: Setup[] }>(request, '/setups')).items.find((s) => s.name === 'Slipway, shade')!;
  await page.goto(`/HERN/log/exchange?setup=${setup.id}`);
  const [chooser] = await Promise.all([
    page.waitForEvent('filechooser'),
    page.getByRole('button', { name: 'Choose a CSV or JSON file' }).click(),
  ]);
  await chooser.setFiles({
    name: 'second-unit.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      'Slate,Take,Body,Lens,Stop\n15,31,Corrie 35,Skerry prime 32,T5.6\n15,32,Corrie 35,Skerry prime 32,T1\n',
    ),
  });
  await expect(page.getByText('row 3')).toBeVisible();
  await expect(page.getByText(/T1 is wider than it goes/)).toBeVisible();
  await page.getByRole('button', { name: 'Import 1, leave out 1' }).click();
  await expect(page.getByTestId('import-done')).toContainText('1 takes imported');
  await page.goto(`/HERN/log?setup=${setup.id}`);
  await page.getByRole('grid', { name: 'Takes' }).getByText('15 / 31').click();
  await page.getByRole('button', { name: 'Open 15 / 31' }).click();
  await page.getByRole('button', { name: 'Remove', exact: true }).click();
  await expect(page.getByText('The take was removed')).toBeVisible();
  await page.getByRole('button', { name: 'Take it back' }).click();
  await expect(page.getByRole('grid', { name: 'Takes' }).getByText('15 / 31')).toBeVisible();
});

test('the plan solves marks, and kit is changed in place', async ({ page, request }) => {
  const setup = await quay(request);
  await page.goto(`/HERN/log/plan?setup=${setup.id}`);
  await expect(page.getByTestId('plan-fit')).toContainText(/1 to spare; they fit at 0\.\d+/);
  await expect(page.getByRole('img', { name: /Mast at -3\.\d east 3\.\d north/ })).toBeVisible();
  await page.goto('/HERN/kit');
  await page.getByRole('button', { name: 'Change Cloth tape' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Cloth tape, 30 m');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Change Cloth tape, 30 m' })).toBeVisible();
});

test('a setup is made, gets a light and the template of its kind, and stands on the day', async ({ page }) => {
  await page.goto('/HERN/day');
  await page.getByRole('button', { name: 'New setup' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText(/^Setup /);
  await page.getByLabel('Name', { exact: true }).fill('Boat shed');
  await page.getByRole('radio', { name: 'Green screen' }).click();
  await page.getByRole('button', { name: 'Use the green screen template' }).click();
  await page.getByLabel('Another light condition').fill('tubes on');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await page.getByRole('button', { name: 'Make current' }).first().click();
  await page.getByRole('button', { name: 'Save setup' }).click();
  await expect(page.getByRole('link', { name: 'Open Boat shed' })).toBeVisible();
  await page.getByRole('button', { name: /^Show all/ }).click();
  await expect(page.getByText('Lacks an eye line')).toBeVisible();
});
