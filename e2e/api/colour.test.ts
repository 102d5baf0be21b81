import fs from 'node:fs/promises';
import { expect, test, type APIRequestContext } from '@playwright/test';
import type { Calibration, CameraBody, Exposures, ReferenceObject } from '@tawny/contract';
import { luminance, pixelAtAngles, type RgbImage } from '@tawny/core';
import { readExr } from '@tawny/formats';
import { getJson, newTake, patchJson, postJson } from '../support/api';
import { CHART, CHART_IN_PLATE, chartSetup, GRAIN, PLATE_SEES, PLATE_STOPS, through } from '../support/chart';
import { boxOf, litSetup, measureCard, TAKE } from '../support/lit';
import { fileIn, pack } from '../support/packages';

const IN_PLATE = boxOf(CHART_IN_PLATE.left, CHART_IN_PLATE.top, CHART_IN_PLATE.right, CHART_IN_PLATE.bottom);
const { azimuthDeg, elevationDeg, acrossDeg, upDeg } = CHART;
const IN_PANORAMA = boxOf(azimuthDeg - acrossDeg / 2, elevationDeg + upDeg / 2, azimuthDeg + acrossDeg / 2, elevationDeg - upDeg / 2); // prettier-ignore

const colour = (request: APIRequestContext, panoramaId: string, plateId: string, more: object = {}) =>
  postJson(request, `/panoramas/${panoramaId}/colour`, {
    plateId,
    plateCorners: IN_PLATE,
    panoramaCorners: IN_PANORAMA,
    ...more,
  });

/** Where a patch lies in the panorama: its own frame. */
const patchAt = (k: number) => ({
  azimuthDeg: azimuthDeg + (((k % 6) + 0.5) / 6 - 0.5) * acrossDeg,
  elevationDeg: elevationDeg - ((Math.floor(k / 6) + 0.5) / 4 - 0.5) * upDeg,
});
const valueAt = (image: RgbImage, at: { azimuthDeg: number; elevationDeg: number }) => {
  const { x, y } = pixelAtAngles(at.azimuthDeg, at.elevationDeg, image.width, image.height);
  const i = 3 * (Math.round(y) * image.width + Math.round(x));
  return [...image.data.subarray(i, i + 3)];
};

test('a chart is found in both pictures, and its corners are where it stands', async ({ request }) => {
  const { panorama, plate } = await chartSetup(request);
  const inPlate = (await postJson(request, `/plates/${plate.id}/chart`, {})).body;
  const inPanorama = (await postJson(request, `/panoramas/${panorama.id}/chart`, { azimuthDeg: 150, elevationDeg: 0, spanDeg: 110 })).body; // prettier-ignore
  expect(inPlate.found, 'plate').toMatchObject({ mirrored: false });
  expect(inPanorama.found, 'panorama').toMatchObject({ mirrored: false });
  for (const [found, marked, within] of [
    [inPlate.found.corners, IN_PLATE, 0.006],
    [inPanorama.found.corners, IN_PANORAMA, 0.6],
  ] as const)
    marked.forEach((corner, k) => corner.forEach((v, c) => expect(Math.abs(found[k][c] - v)).toBeLessThan(within)));
  // It is looked for all round when what is shown has none; where there is none nothing is found, and that is no error.
  const beside = await postJson(request, `/panoramas/${panorama.id}/chart`, { azimuthDeg: 320, elevationDeg: 0, spanDeg: 60 }); // prettier-ignore
  expect(Math.abs(beside.body.found.corners[0][0] - IN_PANORAMA[0][0])).toBeLessThan(0.6);
  const bare = await litSetup(request);
  const none = await postJson(request, `/panoramas/${bare.panorama.id}/chart`, { azimuthDeg: 100, elevationDeg: 0, spanDeg: 60 }); // prettier-ignore
  expect(none).toMatchObject({ status: 200, body: { found: null } });
  const wide = await postJson(request, `/panoramas/${panorama.id}/chart`, { azimuthDeg: 0, elevationDeg: 0, spanDeg: 200 }); // prettier-ignore
  expect(wide.status).toBe(422);
  expect(JSON.stringify(wide.body)).toMatch(/Look closer/);
});

test('the matrix is the plate’s, the gain the chart’s; the package of that body holds both, that of another body says so', async ({
  request,
}) => {
  const set = await chartSetup(request);
  const { panorama, plate, take, setupId } = set;
  const measured = await colour(request, panorama.id, plate.id);
  expect(measured.status, JSON.stringify(measured.body)).toBe(201);
  const found = (measured.body as Calibration).colour!;
  expect(found).toMatchObject({ kind: 'matrix', bodyId: take.bodyId, formatName: take.formatName });
  expect(found.deltaE2000.before).toBeGreaterThan(2.5);
  expect(found.deltaE2000.mean).toBeLessThan(0.8);
  expect(found.deltaE2000.leaveOneOutMean!).toBeLessThan(1.2);
  found.matrix.forEach((v, k) => expect(Math.abs(v - PLATE_SEES[k]), `entry ${k}`).toBeLessThan(0.06));
  // The card lies in the middle of the plate, where no lens takes anything: but for what is expected of one, a hundredth.
  expect(Math.abs(found.gainStops - PLATE_STOPS)).toBeLessThan(0.05);
  expect((measured.body as Calibration).basis.facts.map((f) => f.name)).toEqual(
    expect.arrayContaining(['chart in the plate', 'chart in the panorama', 'decoding of the chart']),
  );

  // The chart is a card of the network, too.
  const exposures = await getJson<Exposures>(request, `/panoramas/${panorama.id}/exposures`);
  expect(exposures.sources.map((s) => s.name)).toContain(`chart in ${take.slate}/${take.take}${take.camera}`);
  expect(Math.abs(exposures.takes.find((t) => t.takeId === take.id)!.gainStops - PLATE_STOPS)).toBeLessThan(0.05);

  const gorse = (await getJson<{ items: CameraBody[] }>(request, '/bodies')).items.find((b) => b.name === 'Gorse 16')!;
  const other = await newTake(request, setupId, { ...TAKE, take: 61, camera: 'B', bodyId: gorse.id, formatName: gorse.formats[0].name, shotAt: take.shotAt }); // prettier-ignore
  const looked = await postJson(request, `/plates/${plate.id}/character`, {});
  expect(looked.status, JSON.stringify(looked.body)).toBe(201);
  for (const [, sigma] of looked.body.character.grain.sigmaAt) expect(Math.abs(sigma / GRAIN - 1)).toBeLessThan(0.12);
  expect(looked.body.character.grain).toMatchObject({ sizePx: expect.closeTo(1, 0) });
  const [own, foreign] = [await pack(request, set), await pack(request, { ...set, take: other })];
  try {
    const exr = async (folder: string) => readExr(await fs.readFile(await fileIn(folder, /panorama_set-frame_v\d+\.exr$/)), 'packed').image; // prettier-ignore
    const [matched, plain] = [await exr(own.folder), await exr(foreign.folder)];
    for (const k of [2, 7, 13, 14, 20]) {
      const [mine, theirs] = [valueAt(matched, patchAt(k)), valueAt(plain, patchAt(k))];
      const wanted = through(PLATE_SEES, theirs);
      const y = luminance(wanted[0], wanted[1], wanted[2], 'rec709');
      const scale = luminance(mine[0], mine[1], mine[2], 'rec709') / y;
      wanted.forEach((v, c) => expect(Math.abs(mine[c] - scale * v) / (scale * y), `patch ${k + 1}, channel ${c}`).toBeLessThan(0.06)); // prettier-ignore
    }
    const page = async (folder: string) => fs.readFile(`${folder}/readme.txt`, 'utf8');
    expect(await page(own.folder)).toMatch(/Colours +matched to the plate by a chart, 3 x 3 matrix from 2\d patches: mean CIEDE2000 \d+\.\d before, 0\.\d after/); // prettier-ignore
    expect(await page(own.folder)).toMatch(/by the chart in this take/);
    // What the plate is like goes with the take whose plate it is.
    const plateJson = JSON.parse(await fs.readFile(await fileIn(own.folder, /_plate_set-frame_v\d+\.json$/), 'utf8'));
    expect(plateJson).toMatchObject({
      plate: plate.name,
      decoding: { curve: 'srgb' },
      character: looked.body.character,
    });
    expect(await page(own.folder)).toMatch(/Plate +black 0\.\d+ .* px wide/);
    expect(await page(foreign.folder)).not.toMatch(/Plate +black/);
    expect(own.handoff.missing.join()).not.toMatch(/colour:/);
    expect(foreign.handoff.missing.join()).toMatch(/colour: the chart was measured for Corrie 35, .*; the colours are those of the panorama camera/); // prettier-ignore
    expect(await page(foreign.folder)).toMatch(/Colours +as the panorama camera saw them/);
  } finally {
    await Promise.all([own, foreign].map((p) => fs.rm(p.folder, { recursive: true })));
  }

  // Of code values that mean something else it says nothing any more.
  const anew = await patchJson(request, `/plates/${plate.id}`, {
    decoding: { curve: 'linear', range: 'full', primaries: 'rec709' },
    version: plate.version,
  });
  expect(anew.body.character).toBeNull(); // prettier-ignore
  // Set aside with a reason, it counts no more; the gain by it goes with it.
  const aside = await postJson(request, `/panoramas/${panorama.id}/calibrations`, { part: 'colour', from: null, reason: 'the chart was in the shade' }); // prettier-ignore
  expect(aside.status, JSON.stringify(aside.body)).toBe(201);
  expect((aside.body as Calibration).colour).toBeNull();
  const after = await getJson<Exposures>(request, `/panoramas/${panorama.id}/exposures`);
  expect(after.sources.map((s) => s.kind)).not.toContain('card');
});

test('what is no chart, or lies otherwise in the two pictures, is told; a card keeps its place beside it', async ({
  request,
}) => {
  const { panorama, plate } = await chartSetup(request);
  const small = await colour(request, panorama.id, plate.id, { plateCorners: boxOf(0.5, 0.5, 0.51, 0.51) });
  expect([small.status, JSON.stringify(small.body)]).toEqual([422, expect.stringMatching(/chart in the plate: .*too small/)]); // prettier-ignore
  const crossed = await colour(request, panorama.id, plate.id, { plateCorners: [IN_PLATE[0], IN_PLATE[2], IN_PLATE[1], IN_PLATE[3]] }); // prettier-ignore
  expect([crossed.status, JSON.stringify(crossed.body)]).toEqual([422, expect.stringMatching(/chart in the plate: .*convex/)]); // prettier-ignore
  // Turned by half a turn in one of them: nothing fits, and the difference that is left says so.
  const turned = await colour(request, panorama.id, plate.id, { plateCorners: [...IN_PLATE.slice(2), ...IN_PLATE.slice(0, 2)] }); // prettier-ignore
  if (turned.status === 201) expect((turned.body as Calibration).colour!.deltaE2000.mean).toBeGreaterThan(5);
  else expect(JSON.stringify(turned.body)).toMatch(/patches|curve|neutral/);
  // A grey of the chart serves as a card.
  const grey = patchAt(21);
  const card = await measureCard(request, panorama.id, plate.id, {
    plateCorners: boxOf(...([0.15, 0.15, 0.85, 0.85].map((t, k) => (k % 2 === 0 ? IN_PLATE[0][0] + ((3 + t) / 6) * (IN_PLATE[1][0] - IN_PLATE[0][0]) : IN_PLATE[0][1] + ((3 + t) / 4) * (IN_PLATE[3][1] - IN_PLATE[0][1]))) as [number, number, number, number])),
    panoramaCorners: boxOf(grey.azimuthDeg - 1.4, grey.elevationDeg + 1.4, grey.azimuthDeg + 1.4, grey.elevationDeg - 1.4),
  }); // prettier-ignore
  expect(card.status, JSON.stringify(card.body)).toBe(201);
  expect(Math.abs((card.body as Calibration).scale!.sources[0].value - PLATE_STOPS)).toBeLessThan(0.05);
});

/** A patch of the chart as a region in both pictures: its inner part. */
function regionOf(k: number, more: object = {}) {
  const inner = [0.15, 0.85].map((t) => [((k % 6) + t) / 6, (Math.floor(k / 6) + t) / 4]);
  const across = (t: number, a: number, b: number) => a + t * (b - a);
  const box = (left: number, top: number, right: number, bottom: number) =>
    boxOf(across(inner[0][0], left, right), across(inner[0][1], top, bottom), across(inner[1][0], left, right), across(inner[1][1], top, bottom)); // prettier-ignore
  return {
    name: `region ${k + 1}`,
    plateCorners: box(IN_PLATE[0][0], IN_PLATE[0][1], IN_PLATE[2][0], IN_PLATE[2][1]),
    panoramaCorners: box(IN_PANORAMA[0][0], IN_PANORAMA[0][1], IN_PANORAMA[2][0], IN_PANORAMA[2][1]),
    ...more,
  };
}

test('without a chart, things that both pictures show match the colours, wider; a white reference ties a lux reading', async ({
  request,
}) => {
  const { panorama, plate, take, setupId } = await chartSetup(request);
  const match = (regions: object[]) => postJson(request, `/panoramas/${panorama.id}/colour/regions`, { plateId: plate.id, regions }); // prettier-ignore
  expect((await match([regionOf(18)])).status).toBe(422);
  const measured = await match([regionOf(18), regionOf(21), regionOf(3), regionOf(14)]);
  expect(measured.status, JSON.stringify(measured.body)).toBe(201);
  const found = (measured.body as Calibration).colour!;
  // Four things tell three gains, no matrix.
  expect(found).toMatchObject({ kind: 'gains', bodyId: take.bodyId, whiteInPanorama: null });
  expect(found.regions.map((r) => r.name)).toEqual(['region 19', 'region 22', 'region 4', 'region 15']);
  expect(Math.abs(found.gainStops - PLATE_STOPS)).toBeLessThan(found.uncertaintyStops);
  expect(found.uncertaintyStops).toBeGreaterThan(0.15);
  expect(found.deltaE2000.mean).toBeLessThan(found.deltaE2000.before);

  const all = Array.from({ length: 24 }, (_, k) => regionOf(k, k === 18 ? { reflectance: 0.9 } : {}));
  const many = ((await match(all)).body as Calibration).colour!;
  expect(many.kind).toBe('matrix');
  many.matrix.forEach((v, k) => expect(Math.abs(v - PLATE_SEES[k]), `entry ${k}`).toBeLessThan(0.06));
  // A white reference says how bright a perfect white is there: a reading on its plane ties it to lux.
  const white = luminance(...many.patches[18].panorama, panorama.space) / 0.9;
  expect(many.whiteInPanorama! / white).toBeCloseTo(1, 3);
  const lux = Math.round(Math.PI * white * 1.2 * 2 ** 0.1);
  await postJson(request, '/readings', { id: crypto.randomUUID(), setupId, kind: 'lux', shown: lux, takenAt: take.shotAt, receptor: 'flat', planeAzimuthDeg: 150, planeElevationDeg: 0 }); // prettier-ignore
  const north = await getJson<Exposures>(request, `/panoramas/${panorama.id}/exposures`);
  expect(north.unused.map((u) => u.why)).toEqual([expect.stringMatching(/faces was not measured|does not hold/)]);
  const nothing = await match([regionOf(3), regionOf(3, { plateCorners: boxOf(0.5, 0.5, 0.5005, 0.5005) })]);
  expect([nothing.status, JSON.stringify(nothing.body)]).toEqual([422, expect.stringMatching(/2 region 4 in the plate/)]); // prettier-ignore
});

test('the kit’s table of the chart says how bright a white is there', async ({ request }) => {
  const { panorama, plate } = await chartSetup(request);
  const found = ((await colour(request, panorama.id, plate.id)).body as Calibration).colour!;
  const charts = (await getJson<{ items: ReferenceObject[] }>(request, '/objects')).items.filter((o) => o.kind === 'chart'); // prettier-ignore
  expect(charts).toHaveLength(1);
  const grey = found.patches[21];
  const reflectance = luminance(...charts[0].patches[21], 'rec709');
  expect(found.whiteInPanorama! / (luminance(...grey.panorama, panorama.space) / reflectance)).toBeCloseTo(1, 1);
});
