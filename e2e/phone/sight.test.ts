import { expect, test, type Page } from '@playwright/test';
import {
  conjugate,
  directionFromAngles,
  anglesFromDirection,
  cameraOfTake,
  projectToPlate,
  rotate,
  yawQuaternion,
} from '@tawny/core';
import type { CameraBody, LensRecord, LightRound, Location, Station } from '@tawny/contract';
import { getJson, newTake } from '../support/api';
import { addPlate, calibrationOf, litSetup, TAKE } from '../support/lit';

const HEADING = 40;

/** An overcast set with a take that stood at the station, its plate, and the camera. */
async function greySet(request: Parameters<typeof litSetup>[0]) {
  const lit = await litSetup(request, 0, 'grey');
  const round = await getJson<LightRound>(request, `/rounds/${lit.panorama.roundId}`);
  const station = await getJson<Station>(request, `/stations/${round.stationId}`);
  const take = await newTake(request, lit.setupId, {
    ...TAKE,
    take: 9,
    headingDeg: HEADING,
    tiltDeg: 0,
    heightM: station.heightM,
    eastM: station.eastM,
    northM: station.northM,
  });
  const plate = await addPlate(request, take);
  const [body, lens, place] = await Promise.all([
    getJson<{ items: CameraBody[] }>(request, '/bodies').then((b) => b.items.find((i) => i.id === take.bodyId)!),
    getJson<{ items: LensRecord[] }>(request, '/lenses').then((l) => l.items.find((i) => i.id === take.lensId)!),
    getJson<{ items: Location[] }>(request, '/locations').then((l) =>
      l.items.find((i) => i.name === 'Gannet Staithe')!,
    ),
  ]);
  return { ...lit, take, plate, camera: cameraOfTake(take, body, lens, place)! };
}

const open = async (page: Page, s: Awaited<ReturnType<typeof greySet>>) => {
  await page.goto(`/HERN/sight?setup=${s.setupId}&panorama=${s.panorama.id}&take=${s.take.id}`);
  await expect(page.getByTestId('sight-picture').locator('canvas')).toBeVisible();
  await expect(page.getByText('Reading the panorama ...')).toHaveCount(0);
};

/** What stands in the middle of the sight's canvas, 0 to 255. */
const middle = (page: Page) =>
  page
    .getByTestId('sight-picture')
    .locator('canvas')
    .evaluate((c) => {
      const canvas = c as HTMLCanvasElement;
      const gl = canvas.getContext('webgl2')!;
      const out = new Uint8Array(4);
      gl.readPixels(canvas.width >> 1, canvas.height >> 1, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, out);
      return out[1];
    });

test('turned by hand over a plate until it fits, with how far that is sure', async ({ page, request }) => {
  const s = await greySet(request);
  await open(page, s);
  await page.getByRole('radio', { name: 'Plate', exact: true }).click();
  // An even plate: its median, so all of it, lies at mid grey, code 118.
  await expect.poll(async () => Math.abs((await middle(page)) - 118)).toBeLessThanOrEqual(1);
  await page.getByRole('radio', { name: 'Panorama', exact: true }).click();
  for (let k = 0; k < 3; k++) await page.getByRole('button', { name: '+⅓' }).first().click();
  await expect.poll(async () => (await middle(page)) - 118).toBeGreaterThan(20);
  await page.getByRole('radio', { name: '½', exact: true }).click();

  const turn = page.getByLabel('Turn in °');
  const drag = async (testId: string, dx: number) => {
    const box = (await page.getByTestId(testId).boundingBox())!;
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width / 2 + dx, box.y + box.height / 2, { steps: 5 });
    await page.mouse.up();
  };
  await page.getByTestId('thumb-wheel').scrollIntoViewIfNeeded();
  await drag('thumb-wheel', 80);
  expect(Number(await turn.inputValue())).toBeCloseTo(4, 0);
  await page.waitForTimeout(700);
  await page.keyboard.press('Shift+ArrowRight');
  await expect(turn).toHaveValue(/^5/);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(turn).toHaveValue(/^4/);
  await page.getByTestId('sight-picture').scrollIntoViewIfNeeded();
  const before = Number(await turn.inputValue());
  await drag('sight-picture', 60);
  expect(Number(await turn.inputValue())).toBeGreaterThan(before + 1);

  await turn.fill('10');
  await turn.press('Enter');
  await page.getByRole('button', { name: 'Fails here, too far left' }).click();
  await turn.fill('14');
  await turn.press('Enter');
  await page.getByRole('button', { name: 'Fails here, too far right' }).click();
  await expect(page.getByText('It fits from 10.00° to 14.00°.')).toBeVisible();
  await expect(page.getByTestId('hand-yaw')).toHaveText(/12\.00.*±2\.00°/);
  await page.getByRole('button', { name: 'Keep this turn' }).click();
  // The bright place in the clouds was taken for a sun and says another turn: neither is adopted until one is chosen.
  await expect(
    page.getByText(/The sources differ: Sun in the picture .*By hand .*Choose which one counts/),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Keep the hand turn alone' }).click();
  await expect(page.getByTestId('solved-yaw')).toHaveText(/12\.00/);
  const { orientation } = await calibrationOf(request, s.panorama.id);
  expect(orientation).toMatchObject({ frame: 'trueNorth', verdict: 'cannotTell' });
  // Towards north the turn is no better than the logged heading.
  expect(orientation!.adopted.uncertainty!).toBeCloseTo(Math.hypot(2, 2), 1);
  await page.goto(`/HERN/measure?setup=${s.setupId}&panorama=${s.panorama.id}`);
  await expect(page.getByTestId('north-yaw')).toHaveText(/12\.00/);
});

test('under a grey sky four things picked in plate and panorama tell the turn', async ({ page, request }) => {
  const s = await greySet(request);
  const truth = yawQuaternion(3);
  await open(page, s);
  await page.getByRole('radio', { name: 'Pick' }).click();
  const picture = page.getByTestId('sight-picture');
  const strip = page.getByTestId('panorama-strip');
  for (const [k, [right, up]] of [
    [-12, 5],
    [11, 6],
    [-11, -6],
    [12, -5],
  ].entries()) {
    const world = directionFromAngles(HEADING + right, up);
    const at = projectToPlate(s.camera, rotate(conjugate(s.camera.pose!.rotation), world))!;
    await picture.evaluate((e) => e.scrollIntoView({ block: 'center' }));
    const box = (await picture.boundingBox())!;
    await page.mouse.click(
      box.x + (at.xPx / s.camera.widthPx) * box.width,
      box.y + box.height / 2 + ((at.yPx - s.camera.centreYPx) / s.camera.widthPx) * box.width,
    );
    await expect(page.getByTestId('pick-words')).toHaveText('Now tap the same thing in the panorama.');
    const own = anglesFromDirection(rotate(conjugate(truth), world));
    await strip.evaluate((e) => e.scrollIntoView({ block: 'center' }));
    const inStrip = (await strip.boundingBox())!;
    const perDeg = inStrip.width / 110;
    await page.mouse.click(
      inStrip.x + inStrip.width / 2 + (own.azimuthDeg - HEADING) * perDeg,
      inStrip.y + inStrip.height / 2 - own.elevationDeg * perDeg,
    );
    await expect(page.getByText(new RegExp(`^${k + 1}: bearing in the picture`))).toBeVisible();
  }
  for (let k = 1; k <= 4; k++) await page.getByRole('button', { name: 'State its distance' }).first().click();
  await page.getByRole('button', { name: 'Solve the turn from the picks' }).click();
  await expect.poll(async () => (await calibrationOf(request, s.panorama.id))?.orientation ?? null).not.toBeNull();
  const { orientation } = await calibrationOf(request, s.panorama.id);
  // The bright place under the grey sky is no sun of this hour: four picks outvote it, and it is named.
  expect(orientation!.sources.map((x) => [x.name, x.outlier])).toEqual([
    ['Sun in the picture', true],
    ['Picks (4)', false],
  ]);
  // A finger's pixel on this strip is a third of a degree.
  expect(Math.abs(orientation!.adopted.value - 3)).toBeLessThan(0.6);
  expect(orientation!.verdict).toBe('agrees');
  await page.getByRole('radio', { name: 'Turn', exact: true }).click();
  await expect(page.getByTestId('solved-yaw')).toBeVisible();
  const height = await page.evaluate(() => Math.max(...[...document.querySelectorAll('[role=main]')].map((e) => e.scrollHeight))); // prettier-ignore
  expect(height).toBeLessThan(4 * 844);
  await page.goto(`/HERN/measure?setup=${s.setupId}&panorama=${s.panorama.id}`);
  await expect(page.getByText('Sun in the picture set aside')).toBeVisible();
});
