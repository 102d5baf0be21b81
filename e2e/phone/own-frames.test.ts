import { createHash } from 'node:crypto';
import { expect, test } from '@playwright/test';
import type { Panorama } from '@tawny/contract';
import { benchRound, getJson, newRound, postJson } from '../support/api';
import { largeFrame, latlongBracket, panoramaFile, plainPanorama, textFile } from '../support/frames';
import { choose } from '../support/hands';

test('frames of a one-shot camera from a card: refused with a reason, then taken in and built', async ({ page }) => {
  await page.goto('/HERN/round');
  await page.getByRole('radio', { name: 'Slipway, shade' }).click();
  await expect(page.getByText('No station yet')).toBeVisible();
  // How high its lens stood nobody knows but who stands there.
  await expect(page.getByRole('button', { name: 'Make station' })).toBeDisabled();
  await page.getByLabel('Lens height in m').fill('1.55');
  await page.getByLabel('Lens height in m').blur();
  await page.getByRole('button', { name: 'Make station' }).click();
  await page.getByRole('button', { name: 'Start round 1' }).click();
  await page.getByRole('radio', { name: '360° frames' }).click();
  await choose(page, 'Choose frames', [textFile('notes.jpg')]);
  await expect(page.getByTestId('upload-error')).toContainText('notes.jpg: is not a JPEG, PNG or TIFF picture');
  await choose(page, 'Choose frames', await latlongBracket());
  await expect(page.getByText('4 frames in 1 views')).toBeVisible();
  // The page is another one now, and begins at its head.
  await expect(page.getByRole('heading', { level: 1 })).toBeInViewport();
  await page.getByRole('button', { name: 'Build the panorama' }).click();
  await expect(page.getByText('No sun in this panorama: north needs another source')).toBeVisible({ timeout: 90000 });
});

test('a card that is sent over a bad connection: what broke off is sent again, what is there is not', async ({
  page,
  request,
}) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 }, 'Bad connection');
  const setups = (await getJson<{ items: { id: string; name: string }[] }>(request, '/setups')).items;
  await page.goto(`/HERN/round/${round.id}?setup=${setups.find((s) => s.name === 'Quay, low sun')!.id}`);
  let sent = 0;
  await page.route(`**/rounds/${round.id}/frames`, (route) => {
    if (route.request().method() !== 'POST') return route.continue();
    sent++;
    return sent === 2 || sent === 4 ? route.abort('connectionreset') : route.continue();
  });
  await page.getByRole('radio', { name: '360° frames' }).click();
  const frames = await latlongBracket();
  await choose(page, 'Choose frames', frames.slice(0, 3));
  await expect(page.getByText('3 frames in 1 views')).toBeVisible({ timeout: 30000 });
  expect(sent).toBe(5);
  expect((await getJson<{ items: unknown[] }>(request, `/rounds/${round.id}/frames`)).items).toHaveLength(3);
  // What is known need not travel again, whatever it is called now.
  const hashes = frames.map((f) => createHash('sha256').update(f.buffer).digest('hex'));
  const { body } = await postJson(request, `/rounds/${round.id}/frames/known`, { hashes });
  expect((body as { known: string[] }).known.sort()).toEqual(hashes.slice(0, 3).sort());
  expect((await postJson(request, `/rounds/${round.id}/frames/known`, { hashes: ['short'] })).status).toBe(422);
});

test('a large frame goes in pieces: the piece that breaks off is sent again, and nothing travels twice', async ({
  page,
  request,
}) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 }, 'In pieces');
  const setups = (await getJson<{ items: { id: string; name: string }[] }>(request, '/setups')).items;
  await page.goto(`/HERN/round/${round.id}?setup=${setups.find((s) => s.name === 'Quay, low sun')!.id}`);
  const pieces: string[] = [];
  await page.route('**/arriving/*', (route) => {
    if (route.request().method() !== 'PATCH') return route.continue();
    pieces.push(route.request().headers()['upload-offset']);
    return pieces.length === 1 ? route.abort('connectionreset') : route.continue();
  });
  const forms: number[] = [];
  await page.route(`**/rounds/${round.id}/frames`, async (route) => {
    if (route.request().method() !== 'POST') return route.continue();
    forms.push(route.request().postDataBuffer()!.length);
    // The frame is with the server; the word that names it is lost once.
    return forms.length === 1 ? route.abort('connectionreset') : route.continue();
  });
  await page.getByRole('radio', { name: '360° frames' }).click();
  const large = await largeFrame();
  expect(large.buffer.length).toBeGreaterThan(8 * 1024 * 1024);
  await choose(page, 'Choose frames', [large]);
  await expect(page.getByText('1 frames in 1 views')).toBeVisible({ timeout: 30000 });
  expect(pieces).toEqual(['0', '0']);
  expect(forms).toHaveLength(2);
  expect(Math.max(...forms)).toBeLessThan(2000);
  const hash = createHash('sha256').update(large.buffer).digest('hex');
  expect((await getJson<{ items: unknown[] }>(request, `/rounds/${round.id}/frames`)).items).toEqual([
    expect.objectContaining({ name: large.name, hash }),
  ]);
});

test('the bracket is planned from the light before the round is shot', async ({ page, request }) => {
  const { setup, round } = await benchRound(
    request,
    { projection: 'equidistant', fovDeg: 185, views: 6 },
    { name: 'Planned', lightCondition: 'sun out' },
  );
  await page.goto(`/HERN/round/${round.id}?setup=${setup.id}`);
  await page.getByRole('button', { name: 'Plan the bracket' }).click();
  // The sun's disc against f/8 at ISO 100 and 1/8000 s: no shutter alone holds it.
  await expect(page.getByTestId('plan-verdict')).toContainText(
    /^ND \d\.\d \(\d+ stops\) for the brightest: holds the whole range/,
  );
  await expect(page.getByTestId('plan-time')).toHaveText(/^\d+(\.\d)?.?(s|min)$/);
  await page.getByRole('radio', { name: 'JPEG, 8 bit' }).click();
  await page.getByRole('button', { name: 'Most frames a view down' }).click({ clickCount: 4, delay: 30 });
  await expect(page.getByTestId('plan-verdict')).toContainText('stops short of the shadows');
  await page.getByRole('radio', { name: '50 Hz' }).click();
  await expect(page.getByTestId('plan-verdict')).toContainText(/shorter than a half-cycle of 50 Hz/);
  await page.getByRole('radio', { name: 'Test frame' }).click();
  await choose(page, 'Choose a test frame', (await latlongBracket())[1]);
  await expect(page.getByText(/^holds .* cd\/m² \(nominal\); .* % cut off/)).toBeVisible();
});

test('a panorama from elsewhere is taken in, checked and called what it is', async ({ page, request }) => {
  const round = await newRound(request, { projection: 'equidistant', fovDeg: 185, views: 6 }, 'From elsewhere');
  const setups = (await getJson<{ items: { id: string; name: string }[] }>(request, '/setups')).items;
  await page.goto(`/HERN/round/${round.id}?setup=${setups.find((s) => s.name === 'Quay, low sun')!.id}`);
  await page.getByRole('radio', { name: 'Finished panorama' }).click();
  await choose(page, 'Choose a panorama', await panoramaFile('cut-off.exr', plainPanorama(512, 30)));
  await expect(page.getByText('Check sheet')).toBeVisible({ timeout: 60000 });
  await expect(page.getByText(/lights are cut off: this panorama has lost its highlights/).first()).toBeVisible();
  await page.getByRole('radio', { name: 'Stops' }).click();
  await expect(page.getByTestId('scale-bar')).toBeVisible();
  await page.getByRole('radio', { name: 'Flat view' }).click();
  const strip = page.getByTestId('panorama-strip');
  await strip.scrollIntoViewIfNeeded();
  // A tap before the picture has arrived probes nothing.
  await expect(async () => {
    const box = (await strip.boundingBox())!;
    await page.mouse.click(box.x + box.width / 2, box.y + box.height / 2);
    await expect(page.getByTestId('probe')).toContainText(/elevation .*luminance/, { timeout: 1500 });
  }).toPass();
});

test('a round with nothing but a phone: it says where to look and what its exposure is worth', async ({
  page,
  request,
}) => {
  test.setTimeout(240000);
  const { setup, round } = await benchRound(
    request,
    { projection: 'equidistant', fovDeg: 185, views: 6 },
    { name: 'By phone', lightCondition: 'sun out' },
  );
  await page.goto(`/HERN/round/${round.id}?setup=${setup.id}`);
  await page.getByRole('radio', { name: 'This phone' }).click();
  await page.getByRole('button', { name: 'Start the guided round' }).click();
  // This browser has no camera: it says so and offers a way on.
  await expect(page.getByTestId('camera-error')).toContainText(/camera/i);
  await page.getByRole('radio', { name: 'Stand-in, own exposure' }).click();
  await page.getByRole('radio', { name: 'Around the horizon' }).click();
  await page.getByRole('button', { name: 'Start the guided round' }).click();
  await expect(page.getByTestId('exposure-word')).toContainText('does not let the exposure be held');
  const count = Number((await page.getByTestId('aims-done').textContent())!.match(/of (\d+)/)![1]);
  for (let k = 0; k < count; k++) {
    if (k > 0) {
      await expect(page.getByTestId('aim-words')).toContainText(/^(Turn|Tilt) \d+°/);
      await page.getByRole('button', { name: 'Turn the stand-in there' }).click();
    }
    await expect(page.getByTestId('aim-words')).toHaveText('Hold still and photograph');
    await page.getByRole('button', { name: `Photograph view ${k + 1}` }).click();
    await expect(page.getByTestId('aims-done')).toContainText(`${k + 1} of`, { timeout: 60000 });
  }
  await page.getByRole('button', { name: `Put ${count} frames into the round` }).click();
  await expect(page.getByText(`${count} frames in ${count} views`)).toBeVisible({ timeout: 60000 });
  await page.getByRole('button', { name: 'How to build' }).click();
  await page.getByRole('radio', { name: '2K' }).click();
  await page.getByRole('button', { name: 'Build the panorama' }).click();
  await expect(page.getByText('Check sheet')).toBeVisible({ timeout: 120000 });
  await expect(page.getByText(/a single exposure: its highlights are not measured/)).toBeVisible();
  // The stand-in was turned by hand: the pictures must have put the views right.
  const panorama = (await getJson<{ items: Panorama[] }>(request, `/panoramas?roundId=${round.id}`)).items[0];
  expect(panorama.seamStops!).toBeLessThan(0.15);
  // A place is taken whole from a view that somebody chose, when it is built again.
  await page.getByRole('radio', { name: 'Moved' }).click();
  await expect(page.getByTestId('moved-words')).toContainText('one frame of the bracket stands alone');
  await page.getByTestId('panorama-strip').scrollIntoViewIfNeeded();
  // A tap before the picture has arrived probes nothing.
  await expect(async () => {
    const box = (await page.getByTestId('panorama-strip').boundingBox())!;
    await page.mouse.click(box.x + box.width / 2, box.y + box.height / 2);
    await expect(page.getByTestId('probe')).toContainText('luminance', { timeout: 1500 });
  }).toPass();
  await page.getByRole('button', { name: 'How to build' }).click();
  await page.getByRole('radiogroup', { name: 'How far around' }).getByRole('radio', { name: '12°' }).click();
  await page
    .getByRole('radiogroup', { name: 'View for the place' })
    .getByRole('radio', { name: '2', exact: true })
    .click();
  await page.getByRole('radiogroup', { name: 'Tripod' }).getByRole('radio', { name: '20°' }).click();
  // Where the views look is no matter here, and is most of a build.
  await page.getByRole('radio', { name: 'Metadata only' }).click();
  await page.getByRole('button', { name: 'Build again' }).click();
  await expect(page.getByTestId('difference-median')).toBeVisible({ timeout: 120000 });
  const again = (await getJson<{ items: Panorama[] }>(request, `/panoramas?roundId=${round.id}`)).items[0];
  expect(again.options).toMatchObject({ tripodDeg: 20, areas: [{ radiusDeg: 12, view: 1 }] });
  // A cone of 20 degrees about straight down is 0.379 sr.
  expect(again.uncoveredSr).toBeGreaterThan(0.37);
});

test('a rebuild with other choices leaves the frames alone and is held against the first', async ({
  page,
  request,
}) => {
  test.setTimeout(120000);
  const setups = (await getJson<{ items: { id: string; name: string }[] }>(request, '/setups')).items;
  const rounds = (await getJson<{ items: { id: string; name: string }[] }>(request, '/rounds')).items;
  const panoramas = (await getJson<{ items: { roundId: string }[] }>(request, '/panoramas')).items;
  const round = rounds.find((r) => r.name === 'Round 1' && panoramas.some((p) => p.roundId === r.id))!;
  await page.goto(`/HERN/round/${round.id}?setup=${setups[0].id}`);
  await page.getByRole('button', { name: 'How to build' }).click();
  await page.getByRole('radio', { name: 'Believe the file' }).click();
  await page.getByRole('radio', { name: 'Keep', exact: true }).click();
  await page.getByRole('button', { name: 'Build again' }).click();
  await expect(page.getByTestId('difference-median')).toHaveText(/^\d\.\d{3}.?stop$/, { timeout: 90000 });
  const wipe = page.getByRole('slider', { name: 'Wipe between v001 and v002' });
  await wipe.focus();
  await page.keyboard.press('ArrowRight');
  await expect(wipe).toHaveAttribute('aria-valuenow', '55');
  const versions = (
    await getJson<{ items: { number: number; options: { camera: string } }[] }>(
      request,
      `/panoramas?roundId=${round.id}`,
    )
  ).items;
  expect(versions.map((v) => v.options.camera)).toEqual(['file', 'round']);
});

test('the theme switches in one tap and is kept', async ({ page }) => {
  await page.goto('/HERN/day');
  const ground = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  await page.getByRole('button', { name: 'Switch to lamplight theme' }).click();
  expect(await ground()).toBe('rgb(23, 22, 21)');
  await page.reload();
  await expect(page.getByRole('button', { name: 'Switch to daylight theme' })).toBeVisible();
  expect(await ground()).toBe('rgb(23, 22, 21)');
});

test('targets are at least 44 px and nothing runs out of the side', async ({ page }) => {
  for (const place of ['day', 'log', 'log/new', 'round', 'measure', 'handoff']) {
    await page.goto(`/HERN/${place}`);
    await expect(page.getByRole('main')).toBeVisible();
    await page.waitForTimeout(600);
    const small = await page.evaluate(() =>
      [...document.querySelectorAll('[role=button],[role=link],[role=radio],button,a')]
        .map((e) => ({ name: e.getAttribute('aria-label') ?? e.textContent, box: e.getBoundingClientRect() }))
        .filter(({ box }) => box.width > 0 && (box.height < 43.5 || box.width < 43.5))
        .map(({ name, box }) => `${name} ${box.width.toFixed(0)} x ${box.height.toFixed(0)}`),
    );
    expect(small, place).toEqual([]);
    expect(await page.evaluate(() => document.documentElement.scrollWidth), place).toBeLessThanOrEqual(390);
  }
});

test('an address that leads nowhere helps, and one that ends with the production opens its day', async ({ page }) => {
  await page.goto('/HERN');
  await expect(page).toHaveURL(/\/HERN\/day$/);
  await expect(page.getByText(/^Gap list/).first()).toBeVisible();
  await page.goto('/HERN/nowhere');
  await expect(page.getByText('There is nothing at this address')).toBeVisible();
});

test('who takes long to find the file is still heard', async ({ page }) => {
  await page.goto('/HERN/kit');
  const chooser = page.waitForEvent('filechooser');
  await page.getByRole('button', { name: 'Bring a curve' }).click();
  const open = await chooser;
  // The browser tidies up meanwhile.
  await page.requestGC();
  await page.waitForTimeout(500);
  await page.requestGC();
  await open.setFiles({ name: 'no-curve.clf', mimeType: 'text/xml', buffer: Buffer.from('no curve at all') });
  await expect(page.getByText(/no-curve\.clf/).first()).toBeVisible();
});
