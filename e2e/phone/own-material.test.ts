import { execFileSync } from 'node:child_process';
import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import type { Calibration, LightRound, Panorama, PanoramaRig, Take } from '@tawny/contract';
import { trialDatabase } from '../support/database';
import { markAngles, markShares, turnTo } from '../support/hands';
import {
  almanacSun,
  BEGAN,
  CARD,
  CARD_IN_PLATE,
  CLOCK_FAST_S,
  ROLLED,
  CURVE_FILE,
  GAIN_STOPS,
  OFF_STOPS,
  PLACE,
  recordPlate,
  shootHead,
} from '../support/ownMaterial';
import { withServer } from '../support/server';

/** Presses a button that asks for files and hands it files on disk. */
async function hand(page: Page, button: string | RegExp, files: string | string[]): Promise<void> {
  const chooser = page.waitForEvent('filechooser');
  await page.getByRole('button', { name: button }).first().click();
  await (await chooser).setFiles(files);
}

const type = async (page: Page, label: string, value: string | number) => {
  const field = page.getByLabel(label, { exact: true }).first();
  await field.fill(String(value));
  await field.press('Enter');
};
const press = (page: Page, name: string | RegExp) =>
  page
    .getByRole('button', typeof name === 'string' ? { name, exact: true } : { name })
    .first()
    .click();
const pick = (page: Page, name: string) => page.getByRole('radio', { name, exact: true }).first().click();

test('a production of one’s own, from an empty database and files on disk to a package with right numbers', async ({
  page,
}) => {
  test.setTimeout(600000);
  const card = await fs.mkdtemp(path.join(os.tmpdir(), 'card-'));
  const frames = await shootHead(card);
  const clip = await recordPlate(card);
  const curve = path.join(card, 'staithe.clf');
  await fs.writeFile(curve, CURVE_FILE);
  await trialDatabase((url) =>
    withServer(url, async (base) => {
      const at = `${base}/THER`;
      const read = async <T>(route: string) =>
        (await (await fetch(`${base}/api/v1/productions/THER${route}`)).json()) as T;

      // The production, its first day and setup.
      await page.goto(base);
      await page.getByRole('textbox', { name: 'Title' }).fill('The Tin Heron');
      await pick(page, 'Linear Rec. 709');
      await press(page, 'Begin');
      await page.getByRole('link', { name: 'Day', exact: true }).click();
      await page.getByRole('textbox', { name: 'Name' }).fill('Gannet Staithe');
      await page.context().grantPermissions(['geolocation'], { origin: base });
      await page.context().setGeolocation({ latitude: PLACE.latitude, longitude: PLACE.longitude });
      await press(page, "This device's position");
      await page.getByLabel('Date').fill('2026-10-14');
      await page.getByLabel('Call').fill('07:30');
      await press(page, 'Begin day 1');
      await page.getByRole('textbox', { name: 'Name' }).fill('Staithe end');
      await page.getByRole('textbox', { name: 'Slate' }).fill('31A');
      await press(page, /^Save/);

      // The kit: a body whose recordings are logarithmic, its lens, a fisheye and the head.
      await page.goto(`${at}/kit`);
      await hand(page, 'Bring a curve', curve);
      await expect(page.getByText('Staithe log', { exact: false }).first()).toBeVisible();
      await press(page, 'Add camera body');
      await page.getByRole('textbox', { name: 'Name' }).fill('Corrie 8');
      await type(page, 'Base EI', 800);
      await type(page, 'Window width in mm', 24.89);
      await type(page, 'Window height in mm', 14);
      await type(page, 'Recorded width in px', 960);
      await type(page, 'Recorded height in px', 540);
      await type(page, 'Runs to in fps', 60);
      await pick(page, 'Stated');
      await pick(page, 'Staithe log');
      await pick(page, 'Legal range');
      await press(page, 'Save');
      await expect(page.getByRole('button', { name: 'Change Corrie 8' })).toBeVisible();
      await press(page, 'Add lens');
      await page.getByRole('textbox', { name: 'Name' }).fill('Skerry prime 26');
      await type(page, 'Focal length from in mm', 26);
      await type(page, 'Focal length to in mm', 26);
      await type(page, 'Widest stop in T', 2);
      await type(page, 'Smallest stop in T', 22);
      await type(page, 'Close focus in m', 0.4);
      await press(page, 'Save');
      await expect(page.getByRole('button', { name: 'Change Skerry prime 26' })).toBeVisible();
      await press(page, 'Add panorama rig');
      await page.getByRole('textbox', { name: 'Name' }).fill('Staithe head');
      await pick(page, 'equidistant');
      await type(page, 'Views', 6);
      // The maker's sheet says 186; it is 190.
      await type(page, 'Field of view in °', 186);
      await press(page, 'Save');
      await expect(page.getByRole('button', { name: 'Change Staithe head' })).toBeVisible();

      // Somebody photographed an exact clock with the head's camera.
      await page.goto(`${at}/place`);
      await pick(page, 'Panorama rig Staithe head');
      await type(page, 'Camera clock minus true time in s', CLOCK_FAST_S);
      await press(page, 'Save clock');
      await expect(page.getByText(`Panorama rig Staithe head: ${CLOCK_FAST_S} s fast ± 1 s (entered)`)).toBeVisible();

      // A take and its clip.
      await page.getByRole('link', { name: 'Log', exact: true }).click();
      await press(page, 'Log the first take');
      // Nothing is logged that nobody said: what the first take begins with is no log.
      await expect(page.getByRole('button', { name: 'Save take 1' })).toBeDisabled();
      await type(page, 'Stop in T', 8);
      await type(page, 'EI', 800);
      await type(page, 'Shutter in °', 180);
      await type(page, 'Frame rate in fps', 24);
      await type(page, 'ND in stops', 0);
      await expect(page.getByTestId('take-unstated')).toHaveText(
        'Still to be said: white balance. The next takes copy it.',
      );
      await press(page, 'White balance up');
      await press(page, /^Save take/);
      await page.getByRole('link', { name: 'Open 31A take 1 camera A' }).click();
      await press(page, 'Plate clip');
      await hand(page, 'Add a video or an image sequence', clip);
      await expect(page.getByText(/Code values: Staithe log, legal range/)).toBeVisible();
      await press(page, 'Make it a plate frame');
      await expect(page.getByText('Plate frames of this take')).toBeVisible();
      // The take's time was that of logging it; its clip knows better.
      await expect(page.getByTestId('clip-began')).toContainText(/^Began 15:25:00 BST: the file's creation time/);
      await press(page, 'Take its time for the take');
      await expect(page.getByText('The take’s time is the same.')).toBeVisible();
      await press(page, /^Save take/);
      await expect.poll(async () => Date.parse((await read<{ items: Take[] }>('/takes')).items[0].shotAt)).toBe(ROLLED);

      // The round from the card.
      await page.getByRole('link', { name: 'Round', exact: true }).click();
      await type(page, 'Lens height in m', 1.6);
      await press(page, 'Make station');
      await expect(page.getByText(/6 views, equidistant 186°/)).toBeVisible();
      await press(page, 'Start round 1');
      await pick(page, 'Fisheye frames');
      await hand(page, 'Choose frames', frames);
      await expect(page.getByText('42 frames in 6 views')).toBeVisible({ timeout: 180000 });
      await press(page, 'Build the panorama');
      await expect(page.getByText('Check sheet')).toBeVisible({ timeout: 240000 });
      await expect(page.getByTestId('round-time')).toContainText(
        `from 42 frames, camera clock ${CLOCK_FAST_S} s fast ± 1 s`,
      );

      // What the round taught of the head, and the next one begins with it.
      const taught = page.getByRole('button', { name: 'What it taught of the rig' });
      await expect(taught).toContainText(/Focal length 2\.\d % shorter than stated/);
      await taught.click();
      await press(page, 'Begin with it next time: Staithe head');
      await expect(page.getByText('Staithe head in the kit begins with it.')).toBeVisible();
      const [rig] = (await read<{ items: PanoramaRig[] }>('/rigs')).items;
      expect(Math.abs(rig.statement.fovDeg - 190)).toBeLessThan(0.8);

      // North by the sun, the gain by the card.
      await press(page, 'Measure north and exposure');
      await press(page, 'Turn to north by the sun');
      await expect(page.getByTestId('north-yaw')).toBeVisible();
      await expect(page.getByTestId('decoding')).toContainText(
        'Staithe log, legal range, Rec. 709 primaries (Corrie 8, Full, in the kit)',
      );
      const plate = page.getByTestId('plate-marker');
      await markShares(page, plate, { left: 0.5, top: 0.56, right: 0.62, bottom: 0.68 });
      const strip = page.getByTestId('panorama-strip');
      await turnTo(page, strip, CARD.azimuth);
      await press(page, 'Mark the card in the panorama');
      await strip.scrollIntoViewIfNeeded();
      await markAngles(page, strip, { bearing: CARD.azimuth, elevation: CARD.elevation }, { across: 4, up: 3 });
      await press(page, 'Measure the gain');
      await expect(page.getByTestId('gain-stops')).toBeVisible();

      const [panorama] = (await read<{ items: Panorama[] }>('/panoramas')).items;
      const { calibration } = await read<{ calibration: Calibration }>(`/panoramas/${panorama.id}/calibration`);
      expect(Math.abs(calibration.scale!.adopted.value - GAIN_STOPS)).toBeLessThan(0.05);
      const [byCard, byTags] = calibration.scale!.sources;
      expect(Math.abs(byCard.value - byTags.value - OFF_STOPS)).toBeLessThan(0.05);
      const [round] = (await read<{ items: LightRound[] }>('/rounds')).items;
      // Six looks, fourteen seconds apart, on a clock that was wrong and is known.
      expect(Math.abs(Date.parse(round.shotAt) - (BEGAN + 36000))).toBeLessThan(4000);

      // The package.
      await press(page, 'Go to the handoff');
      await press(page, 'Make the package');
      const download = page.getByRole('button', { name: /^Download ther_.*_package_v001\.zip$/ });
      await expect(download).toBeVisible({ timeout: 120000 });
      const [file] = await Promise.all([page.waitForEvent('download'), download.click()]);
      const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'package-'));
      await file.saveAs(path.join(folder, 'package.zip'));
      execFileSync('python3', ['-m', 'zipfile', '-e', path.join(folder, 'package.zip'), folder]);
      await rightNumbers(folder);
      await fs.rm(folder, { recursive: true });
    }),
  );
  await fs.rm(card, { recursive: true });
});

/** The panorama as a program that is not ours reads it: where the brightest place is, and what the card sends. */
async function rightNumbers(folder: string): Promise<void> {
  const exr = (await fs.readdir(folder)).find((n) => /_panorama_v001\.exr$/.test(n))!;
  const header = execFileSync('exrheader', [path.join(folder, exr)], { encoding: 'utf8' });
  const [, width, height] = /displayWindow .*\(0 0\) - \((\d+) (\d+)\)/.exec(header)!.map((v) => Number(v) + 1);
  const raw = path.join(folder, 'panorama.tif');
  execFileSync('oiiotool', [path.join(folder, exr), '-d', 'float', '--compression', 'none', '-o', raw]);
  const { default: sharp } = await import('sharp');
  const { data } = await sharp(raw)
    .pipelineColourspace('scrgb')
    .toColourspace('scrgb')
    .removeAlpha()
    .raw({ depth: 'float' })
    .toBuffer({ resolveWithObject: true });
  const pixels = new Float32Array(data.buffer, data.byteOffset, data.length / 4);
  const value = (x: number, y: number) => pixels[3 * (y * width + x) + 1];
  let top = 0;
  for (let i = 1; i < pixels.length; i += 3) top = Math.max(top, pixels[i]);
  // Centre of the disc, by its light.
  let [sum, east, up] = [0, 0, 0];
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const v = value(x, y);
      if (v < top / 4) continue;
      sum += v;
      east += v * ((360 * (x + 0.5)) / width);
      up += v * (90 - (180 * (y + 0.5)) / height);
    }
  const truth = almanacSun(BEGAN + 30000, PLACE.latitude, PLACE.longitude);
  // The sun moves a quarter of a degree a minute: whichever look its disc came from is within that.
  expect(Math.abs(east / sum - truth.azimuth)).toBeLessThan(0.4);
  expect(Math.abs(up / sum - truth.elevation)).toBeLessThan(0.4);
  const at = (azimuth: number, elevation: number) =>
    value(Math.round((azimuth / 360) * width), Math.round(((90 - elevation) / 180) * height));
  expect(Math.abs(Math.log2(at(CARD.azimuth, CARD.elevation) / CARD_IN_PLATE))).toBeLessThan(0.06);
}
