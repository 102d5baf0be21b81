import { expect, test, type Page } from '@playwright/test';
import { srgbPng } from '../support/frames';
import type { CameraClock, EyeLine, LampRecord, LensRecord, Location, Reference, ShootDay } from '@tawny/contract';
import { bench, getJson, newTake, sendFiles, patchJson } from '../support/api';
import { choose, turnDevice } from '../support/hands';

/** Types into a stepper and leaves it. */
async function type(page: Page, label: string, value: string): Promise<void> {
  const field = page.getByLabel(label, { exact: true });
  await field.fill(value);
  await field.press('Enter');
}

/** Begins a value that was not measured, then types it. */
async function measured(page: Page, label: string, unit: string, value: string): Promise<void> {
  await page.getByRole('button', { name: `Measure ${label}`, exact: true }).tap();
  await type(page, `${label} in ${unit}`, value);
}

test('a lamp is recorded, its side is worked out and held against what was logged; it is removed and taken back', async ({
  page,
  request,
}) => {
  const { setup } = await bench(request);
  await newTake(request, setup.id);
  await page.goto(`/HERN/log/records?setup=${setup.id}&page=lamps`);
  await expect(page.getByText('No lamp recorded')).toBeVisible();
  await page.getByRole('button', { name: 'Record a lamp' }).tap();
  const name = page.getByLabel('Name', { exact: true });
  await name.fill('');
  await expect(page.getByRole('button', { name: 'Save lamp' })).toBeDisabled();
  await name.fill('Key through the silk');
  await page.getByRole('radio', { name: 'Softbox' }).tap();
  await page.getByRole('radio', { name: 'Left' }).tap();
  await measured(page, 'East of origin', 'm', '3');
  await measured(page, 'North of origin', 'm', '-2');
  await type(page, 'Dimmer in %', '140');
  await expect(page.getByRole('button', { name: 'Save lamp' })).toBeDisabled();
  await type(page, 'Dimmer in %', '65');
  await page.getByRole('button', { name: 'Save lamp' }).tap();
  // Without a height it is not placed; the camera looks 8° east of north from 0.6 m west and 4.5 m south.
  await expect(page.getByText('No position')).toBeVisible();
  await expect(page.getByText(/right of camera A \(logged as left: check\)/)).toBeVisible();
  await page.getByRole('button', { name: 'Change' }).tap();
  await measured(page, 'Height', 'm', '2,6');
  await page.getByRole('radio', { name: 'Right' }).tap();
  await page.getByRole('button', { name: 'Save lamp' }).tap();
  await expect(page.getByText('Placed', { exact: true })).toBeVisible();
  await expect(page.getByText(/logged as/)).toHaveCount(0);
  const lamps = async () => (await getJson<{ items: LampRecord[] }>(request, `/lamps?setupId=${setup.id}`)).items;
  expect((await lamps())[0]).toMatchObject({
    name: 'Key through the silk',
    kind: 'softbox',
    eastM: 3,
    northM: -2,
    heightM: 2.6,
    dimmerPercent: 65,
    side: 'right',
    onIn: ['bench light'],
  });
  await page.getByRole('button', { name: 'Remove' }).tap();
  await expect(page.getByText('The lamp was removed')).toBeVisible();
  expect(await lamps()).toHaveLength(0);
  await page.getByRole('button', { name: 'Take it back' }).tap();
  await expect(page.getByText('Key through the silk')).toBeVisible();
  expect(await lamps()).toHaveLength(1);
});

test('an eye line becomes bearing, tilt and distance; a tilt becomes a height', async ({ page, request }) => {
  const { setup } = await bench(request);
  await page.goto(`/HERN/log/records?setup=${setup.id}&page=eyelines`);
  await page.getByRole('button', { name: 'Set an eye line' }).tap();
  await page.getByLabel('Who looks').fill('Stand-in, mark 2');
  await type(page, 'Eye, east in m', '1');
  await type(page, 'Eye, north in m', '2');
  await type(page, 'Eye, height in m', '1.6');
  await type(page, 'Target, east in m', '1');
  await type(page, 'Target, north in m', '2');
  await type(page, 'Target, height in m', '1.6');
  await expect(page.getByText('Eye and target are the same point.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Save eye line' })).toBeDisabled();
  // Three east and four north: five metres away at 36.9 degrees.
  await type(page, 'Target, east in m', '4');
  await type(page, 'Target, north in m', '6');
  await type(page, 'Or by tilt in °', '45');
  await expect(page.getByLabel('Target, height in m', { exact: true })).toHaveValue('6.6');
  await page.getByRole('button', { name: 'Save eye line' }).tap();
  await expect(page.getByText('36.9')).toBeVisible();
  await expect(page.getByText('45.0')).toBeVisible();
  await expect(page.getByText('7.07')).toBeVisible();
  // The panel shows the numbers while they are typed: saved is saved when the button has gone.
  await expect(page.getByRole('button', { name: 'Save eye line' })).toBeHidden();
  const [line] = (await getJson<{ items: EyeLine[] }>(request, `/eyelines?setupId=${setup.id}`)).items;
  expect(line).toMatchObject({
    who: 'Stand-in, mark 2',
    eye: { eastM: 1, northM: 2, heightM: 1.6 },
    target: { eastM: 4, northM: 6, heightM: 6.6 },
  });
});

test('a latitude that there is none of cannot be saved; a skyline and a camera clock are kept', async ({
  page,
  request,
}) => {
  const place = async () =>
    (await getJson<{ items: Location[] }>(request, '/locations')).items.find((l) => l.name === 'Gannet Staithe')!;
  const before = await place();
  await page.goto('/HERN/place');
  const latitude = 'Latitude, north positive in °';
  await type(page, latitude, '120');
  await expect(page.getByText('Latitude must be at most 90 degrees')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Save location' })).toBeDisabled();
  await type(page, latitude, '-33.9');
  await expect(page.getByText(/Zone will be found from the coordinates/)).toBeVisible();
  await type(page, latitude, String(before.latitudeDeg));
  await expect(page.getByText(new RegExp(`Zone ${before.zone}`))).toBeVisible();
  await type(page, 'Bearing in °', '-90');
  await type(page, 'Elevation in °', '7.5');
  await page.getByRole('button', { name: 'Add to the skyline' }).tap();
  await expect(page.getByText(/270° → 7\.5°/)).toBeVisible();
  await page.getByRole('button', { name: 'Save location' }).tap();
  await expect.poll(async () => (await place()).skyline.find((s) => s.bearingDeg === 270)?.elevationDeg).toBe(7.5);
  const now = await place();
  expect(now).toMatchObject({ latitudeDeg: before.latitudeDeg, zone: before.zone });
  await patchJson(request, `/locations/${now.id}`, { skyline: before.skyline, version: now.version });

  await page.getByRole('radio', { name: 'Camera D' }).tap();
  await type(page, 'Camera clock minus true time in s', '-4.5');
  await page.getByRole('button', { name: 'Save clock' }).tap();
  await expect(page.getByText('Camera D: 4.5 s slow ± 1 s (entered)')).toBeVisible();
  const day = (await getJson<{ items: ShootDay[] }>(request, '/days')).items.at(-1)!;
  const clocks = (await getJson<{ items: CameraClock[] }>(request, `/clocks?dayId=${day.id}`)).items;
  expect(clocks.find((c) => c.camera === 'D')).toMatchObject({ offsetS: -4.5, source: 'entered' });
});

test('a lens is refused while it cannot be, then comes into the kit', async ({ page, request }) => {
  await page.goto('/HERN/kit');
  await page.getByRole('button', { name: 'Add lens' }).tap();
  await page.getByLabel('Name', { exact: true }).fill('Skerry zoom 18-40');
  await page.getByRole('radio', { name: 'Zoom' }).tap();
  await type(page, 'Focal length from in mm', '40');
  await type(page, 'Focal length to in mm', '18');
  await expect(page.getByRole('button', { name: 'Save', exact: true })).toBeDisabled();
  await type(page, 'Focal length from in mm', '18');
  await type(page, 'Focal length to in mm', '40');
  await type(page, 'Widest stop in T', '2.9');
  // What it begins with is nobody's knowledge: nothing is saved before all of it was said.
  await expect(page.getByLabel('Smallest stop in T')).toHaveValue('');
  // A tablet that is turned shows two columns: what was written stays.
  await turnDevice(page);
  await expect(page.getByLabel('Widest stop in T')).toHaveValue('2.9');
  await expect(page.getByLabel('Name', { exact: true })).toHaveValue('Skerry zoom 18-40');
  await expect(page.getByText('To be stated before it can be saved: 2 of its figures.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Save', exact: true })).toBeDisabled();
  await page.getByRole('button', { name: 'Smallest stop up' }).tap();
  await type(page, 'Close focus in m', '0.9');
  await page.getByRole('button', { name: 'Save', exact: true }).tap();
  const card = page.getByRole('button', { name: 'Change Skerry zoom 18-40' });
  await expect(card).toContainText('18–40 mm · T2.9 to T22');
  // 69 degrees across the gate at 18 mm: 2 atan(24.89 / 36).
  await expect(card).toContainText('69° on a 24.89 mm gate');
  const made = (await getJson<{ items: LensRecord[] }>(request, '/lenses')).items.find(
    (l) => l.name === 'Skerry zoom 18-40',
  )!;
  expect(made).toMatchObject({ kind: 'zoom', focalMinMm: 18, focalMaxMm: 40, tMin: 2.9, tMax: 22, closeFocusM: 0.9 });
});

test('a clean plate of a camera that was knocked is told on the spot', async ({ page, request }) => {
  const { setup } = await bench(request);
  const take = await newTake(request, setup.id);
  const [width, height] = [640, 360];
  const look = async (name: string, shift: number, gain = 1) => {
    const codes = new Uint8Array(width * height * 3);
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++)
        codes.fill(
          Math.round(gain * (110 + 50 * Math.sin((x - shift) * 0.11) + 40 * Math.cos(y * 0.09 + (x - shift) * 0.03))),
          3 * (y * width + x),
          3 * (y * width + x) + 3,
        );
    }
    return { name, mimeType: 'image/png', buffer: await srgbPng(codes, width, height) };
  };
  expect((await sendFiles(request, `/takes/${take.id}/plates`, [await look('take.png', 0)])).status).toBe(201);
  await page.goto(`/HERN/log/records?setup=${setup.id}&page=references`);
  await page.getByRole('radio', { name: 'Clean plate' }).tap();
  await choose(page, 'Choose files', await look('knocked.png', 6));
  await page.getByRole('button', { name: 'Compare with its take' }).tap();
  await expect(page.getByTestId('comparison')).toContainText('The camera moved');
  await expect(page.getByTestId('comparison')).toContainText(/x -?[56]\.\d+/);
  const [reference] = (await getJson<{ items: Reference[] }>(request, `/references?setupId=${setup.id}`)).items;
  expect(reference).toMatchObject({ kind: 'cleanPlate', takeId: take.id, widthPx: width, heightPx: height });
  await page.getByRole('button', { name: 'Remove' }).tap();
  await choose(page, 'Choose files', await look('again.png', 0));
  await page.getByRole('button', { name: 'Compare with its take' }).tap();
  await expect(page.getByTestId('comparison')).toContainText('Same place, same exposure');
});
