import { expect, type Locator, type Page } from '@playwright/test';
import type { TestFile } from './api';

/** Presses a button that asks for files and answers its chooser. */
export async function choose(page: Page, button: string | RegExp, files: TestFile | TestFile[]): Promise<void> {
  const chooser = page.waitForEvent('filechooser');
  await page.getByRole('button', { name: button }).click();
  await (await chooser).setFiles(files);
}

/** Turns the device on its side, past the width where a screen has two columns, and back. */
export async function turnDevice(page: Page): Promise<void> {
  const before = page.viewportSize()!;
  await page.setViewportSize(before.width < 900 ? { width: 1280, height: 800 } : { width: 390, height: 844 });
  // The places lie at the bottom of a phone and down the side of a wide screen.
  const upright = async () => {
    // Null while one gives way to the other.
    const box = await page.getByRole('navigation', { name: 'Places' }).boundingBox();
    return box && box.height > box.width;
  };
  await expect.poll(upright).toBe(before.width < 900);
  await page.setViewportSize(before);
  await expect.poll(upright).toBe(before.width >= 900);
}

async function drag(page: Page, from: { x: number; y: number }, to: { x: number; y: number }): Promise<void> {
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move((from.x + to.x) / 2, (from.y + to.y) / 2, { steps: 4 });
  await page.mouse.move(to.x, to.y, { steps: 4 });
  await page.mouse.up();
}

/** Drags a rectangle given in shares of an element. */
export async function markShares(
  page: Page,
  target: Locator,
  rect: { left: number; top: number; right: number; bottom: number },
): Promise<void> {
  await target.scrollIntoViewIfNeeded();
  const box = (await target.boundingBox())!;
  await drag(
    page,
    { x: box.x + rect.left * box.width, y: box.y + rect.top * box.height },
    { x: box.x + rect.right * box.width, y: box.y + rect.bottom * box.height },
  );
}

async function looking(strip: Locator): Promise<{ azimuth: number; span: number }> {
  const label = (await strip.getAttribute('aria-label'))!;
  const [, azimuth, span] = label.match(/looking (-?\d+) degrees, (\d+) degrees wide/)!;
  return { azimuth: Number(azimuth), span: Number(span) };
}

/** Turns the strip by dragging until a bearing is in the middle, as a hand does. */
export async function turnTo(page: Page, strip: Locator, bearing: number): Promise<void> {
  await strip.scrollIntoViewIfNeeded();
  for (let tries = 0; tries < 12; tries++) {
    const { azimuth, span } = await looking(strip);
    const off = ((bearing - azimuth + 540) % 360) - 180;
    if (Math.abs(off) < 1) return;
    const box = (await strip.boundingBox())!;
    const pixels = Math.max(-0.7 * box.width, Math.min(0.7 * box.width, (off * box.width) / span));
    const middle = { x: box.x + box.width / 2 + pixels / 2, y: box.y + box.height / 2 };
    await drag(page, middle, { x: middle.x - pixels, y: middle.y });
  }
  expect(Math.abs((await looking(strip)).azimuth - bearing)).toBeLessThan(2);
}

/** Marks a rectangle of angles (degrees) around a bearing and elevation in a strip whose middle is at elevation 0. */
export async function markAngles(
  page: Page,
  strip: Locator,
  centre: { bearing: number; elevation: number },
  half: { across: number; up: number },
): Promise<void> {
  const box = (await strip.boundingBox())!;
  const { azimuth, span } = await looking(strip);
  const k = box.width / span;
  const x = box.x + box.width / 2 + (((centre.bearing - azimuth + 540) % 360) - 180) * k;
  const y = box.y + box.height / 2 - centre.elevation * k;
  await drag(page, { x: x - half.across * k, y: y - half.up * k }, { x: x + half.across * k, y: y + half.up * k });
}
