// npm run screenshots: the demo data walked to its end through the API, one picture of each main view into docs/screenshots.
import { randomUUID } from 'node:crypto';
import path from 'node:path';
import { chromium } from 'playwright-core';
import { root } from './setup/modules.mjs';
import { openInstallation } from './setup/installation.mjs';
import { ensureWeb, webFolder } from './setup/web.mjs';

ensureWeb();
const trial = await openInstallation('pictures', { webFolder, logLevel: 'warn' });
const api = `${trial.base}/api/v1/productions/HERN`;
const get = async (p) => (await fetch(api + p)).json();
const post = async (p, body) => {
  const response = await fetch(api + p, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', 'Idempotency-Key': randomUUID(), 'Tawny-Client': 'screenshots' },
    body: JSON.stringify(body),
  });
  const answer = await response.json();
  if (!response.ok) throw new Error(`${p}: ${answer.detail}`);
  return answer;
};
const job = async (p, body) => {
  const { id } = await post(p, body);
  for (;;) {
    const now = await get(`/jobs/${id}`);
    if (now.state === 'done') return now.resultId;
    if (now.state !== 'queued' && now.state !== 'running') throw new Error(`${p}: ${now.error?.message ?? now.state}`);
    await new Promise((r) => setTimeout(r, 300));
  }
};

try {
  const setup = (await get('/setups')).items.find((s) => s.name === 'Quay, low sun');
  const station = (await get(`/stations?setupId=${setup.id}`)).items[0];
  const round = await post('/rounds', {
    id: randomUUID(),
    stationId: station.id,
    name: 'Round 1',
    lightCondition: 'sun out',
    shotAt: setup.lightAt,
    rig: { projection: 'equidistant', fovDeg: 185, views: 6 },
  });
  await job(`/rounds/${round.id}/simulate`, { views: 6, frames: 7, stepEv: 8 / 3, widthPx: 2048 });
  const panorama = await job(`/rounds/${round.id}/build`, { widthPx: 4096 });
  const { orientation } = await post(`/panoramas/${panorama}/north`, {});
  const take = (await get(`/takes?setupId=${setup.id}`)).items[0];
  const plateId = await job(`/takes/${take.id}/plates/simulate`, {});
  const own = (bearing) => (((bearing - orientation.adopted.value) % 360) + 360) % 360;
  const box = (left, top, right, bottom) => [[left, top], [right, top], [right, bottom], [left, bottom]]; // prettier-ignore
  await post(`/panoramas/${panorama}/card`, {
    plateId,
    plateCorners: box(0.585, 0.51, 0.667, 0.59),
    panoramaCorners: box(own(22.6), -6.9, own(30.6), -12.9),
  });
  const inPlate = await post(`/plates/${plateId}/chart`, {});
  const inPanorama = await post(`/panoramas/${panorama}/chart`, {
    azimuthDeg: own(336),
    elevationDeg: -8,
    spanDeg: 40,
  });
  await post(`/panoramas/${panorama}/colour`, {
    plateId,
    plateCorners: inPlate.found.corners,
    panoramaCorners: inPanorama.found.corners,
  });
  await post(`/plates/${plateId}/character`, {});
  for (const kind of ['greyCard', 'chart', 'greyBall', 'chromeBall', 'cleanPlate'])
    await job('/references/simulate', { kind, takeId: take.id });
  await job('/handoffs', { id: randomUUID(), setupId: setup.id, panoramaId: panorama, takeId: take.id });

  // Upright edges of the card and its stand, as shares of the plate.
  const { widthPx, heightPx } = (await get(`/plates?takeId=${take.id}`)).items.find((p) => p.id === plateId);
  const upright = [
    [0.6276, 0.65, 0.95],
    [0.568, 0.49, 0.61],
    [0.686, 0.49, 0.61],
  ];
  const strokes = upright.map(([x, top, foot]) => [x * widthPx, top * heightPx, x * widthPx, foot * heightPx]);
  await post(`/plates/${plateId}/camera`, { families: [{ kind: 'vertical', strokes }] });

  const planned = await post('/rounds', {
    id: randomUUID(),
    stationId: station.id,
    name: 'Round 2',
    lightCondition: 'cloud over',
    shotAt: setup.lightAt,
    rig: { projection: 'equidistant', fovDeg: 185, views: 6 },
  });

  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium-headless-shell',
    args: [
      '--no-sandbox',
      '--use-gl=angle',
      '--use-angle=swiftshader',
      '--enable-unsafe-swiftshader',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
      '--no-first-run',
    ],
  });
  const shots = [
    ['day-phone', 390, '/day', 'daylight', 0],
    ['take-phone', 390, '/log/new', 'daylight', 0],
    ['log-phone', 390, '/log', 'daylight', 0],
    ['kit-phone', 390, '/kit', 'lamplight', 0],
    ['round-phone', 390, `/round/${round.id}`, 'daylight', 0],
    ['check-phone', 390, `/round/${round.id}`, 'lamplight', 'Check sheet'],
    ['ladder-phone', 390, `/round/${round.id}`, 'daylight', 'Exposure ladder of view 1'],
    ['planner-phone', 390, `/round/${planned.id}`, 'daylight', 'Fastest shutter, s', ['button:Plan the bracket']],
    ['levels-phone', 390, '/sight', 'daylight', 'Levels', ['button:Levels']],
    ['sight-wide', 1280, '/sight', 'lamplight', 0, ['radio:Wipe']],
    ['colour-phone', 390, '/measure', 'daylight', 'Colour', ['button:Colour']],
    ['plate-camera-wide', 1280, `/plate-camera?take=${take.id}`, 'daylight', 0, ['radio:Does it sit?']],
    ['measure-phone', 390, '/measure', 'daylight', 'Exposure'],
    ['handoff-phone', 390, '/handoff', 'daylight', 0],
    ['day-wide', 1280, '/day', 'daylight', 0],
    ['log-wide', 1280, '/log', 'daylight', 0],
    ['plan-wide', 1280, '/log/plan', 'daylight', 0],
    ['round-wide-lamplight', 1280, `/round/${round.id}`, 'lamplight', 0],
    ['measure-wide', 1280, '/measure', 'daylight', 0],
  ];
  for (const [name, width, where, theme, scroll, presses = []] of shots) {
    const page = await browser.newPage({ viewport: { width, height: width === 390 ? 844 : 800 } });
    await page.addInitScript((t) => localStorage.setItem('tawny.theme', t), theme);
    await page.goto(`${trial.base}/HERN${where}`, { timeout: 90000 });
    await page.getByRole('main').waitFor({ timeout: 60000 });
    await page.waitForTimeout(3500);
    for (const press of presses) {
      const [role, title] = press.split(':');
      await page.getByRole(role, { name: title, exact: true }).click();
      await page.waitForTimeout(1500);
    }
    await page.getByRole('main').evaluate((e, to) => {
      // Down to a number of pixels, or until a text stands at the top.
      const target =
        typeof to === 'number'
          ? null
          : [...e.querySelectorAll('*')].find((n) => n.childElementCount === 0 && n.textContent === to);
      e.scrollTop = target
        ? target.getBoundingClientRect().top - e.getBoundingClientRect().top + e.scrollTop - 24
        : Number(to) || 0;
    }, scroll);
    await page.waitForTimeout(500);
    await page.screenshot({ path: path.join(root, 'docs/screenshots', `${name}.png`) });
    await page.close();
  }
  await browser.close();
} finally {
  await trial.stop();
}
