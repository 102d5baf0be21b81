import { expect, test, type APIRequestContext } from '@playwright/test';
import type { CameraBody, LightRound, Panorama, Setup, SetupGaps } from '@tawny/contract';
import { LEFT_OPEN, logDay } from '../../apps/server/src/demo/logDay';
import { getJson, patchJson } from '../support/api';

/** Small frames and few: the day's order is what is tested here, its pictures elsewhere. */
const SMALL = { views: 4, frames: 5, framePx: 400, panoramaPx: 512 };

/** Plates and references as small as the rest: stand-ins photograph in the body's recording format. */
async function shrinkFormats(request: APIRequestContext): Promise<void> {
  for (const { id, version, formats } of (await getJson<{ items: CameraBody[] }>(request, '/bodies')).items) {
    const small = (px: number) => 2 * Math.round(px / 6);
    const change = { version, formats: formats.map((f) => ({ ...f, widthPx: small(f.widthPx), heightPx: small(f.heightPx) })) }; // prettier-ignore
    expect((await patchJson(request, `/bodies/${id}`, change)).status).toBe(200);
  }
}

test('the demo day is logged to its end, and its gap list then asks only for what wants a person', async ({
  page,
  request,
}) => {
  test.setTimeout(600000);
  await shrinkFormats(request);
  const said: string[] = [];
  const open = await logDay(process.env.TAWNY_BASE!, (line) => said.push(line), SMALL);
  const setups = (await getJson<{ items: Setup[] }>(request, '/setups')).items;
  const demo = new Set(
    setups.filter((s) => ['Quay, low sun', 'Slipway, shade', 'Net loft'].includes(s.name)).map((s) => s.id),
  );
  const left = open.filter((g) => demo.has(g.setupId));
  // Under cloud no sun tells north: that wants a landmark, so a person.
  const sunless = (await getJson<{ items: Panorama[] }>(request, '/panoramas')).items.filter(
    (p) => p.sun === null,
  ).length;
  expect(left.filter((g) => g.rule === 'north').length).toBeLessThanOrEqual(sunless);
  expect(left.map((g) => g.rule).filter((r) => r !== 'north' && !LEFT_OPEN.includes(r))).toEqual([]);
  // What was asked for is there: a panorama in every light that has takes, and the second witness of exposure in the loft.
  const rounds = (await getJson<{ items: LightRound[] }>(request, '/rounds')).items;
  for (const condition of ['sun out', 'cloud over', 'open shade', 'lamps on', 'lamps off'])
    expect(rounds.map((r) => r.lightCondition)).toContain(condition);
  expect((await getJson<{ items: Panorama[] }>(request, '/panoramas')).items.length).toBeGreaterThanOrEqual(5);
  // A second time nothing is left to do.
  const again: string[] = [];
  await logDay(process.env.TAWNY_BASE!, (line) => again.push(line), SMALL);
  expect(again.filter((l) => /Quay, low sun|Slipway|Net loft/.test(l) && !/north of/.test(l))).toEqual([]);
  await page.goto('/HERN/day');
  await expect(page.getByText('Net loft').first()).toBeVisible();
  const gaps = (await getJson<{ items: SetupGaps[] }>(request, '/gaps')).items.filter((g) => demo.has(g.setupId));
  expect(gaps.every((g) => g.roundId !== null)).toBe(true);
});
