import { randomUUID } from 'node:crypto';
import { expect, test } from '@playwright/test';
import type { ImportResult, LensRecord, Take } from '@tawny/contract';
import { openDatabase } from '../../apps/server/src/db/dataSource';
import { decidingTakes } from '../../apps/server/src/setups/gapFacts';
import { CLIENT } from '../support/api';
import { plannedRows } from '../support/database';
import { ownProduction } from '../support/production';

/** More than two parts of an export, many of one time. */
const TAKES = 620;

test.describe('a day with more takes than one part of an export', () => {
  let code: string;
  let csv: string[];

  test.beforeAll(async ({ playwright, baseURL }) => {
    const request = await playwright.request.newContext({ baseURL });
    ({ code } = await ownProduction(request));
    const base = `/api/v1/productions/${code}`;
    const [setup] = ((await (await request.get(`${base}/setups`)).json()) as { items: { id: string }[] }).items;
    const rows = Array.from(
      { length: TAKES },
      (_, k) => `2,${k + 1},2026-10-14T${String(9 + (k % 3)).padStart(2, '0')}:00:00Z,=1+${k}`,
    );
    const response = await request.post(`${base}/takes/import`, {
      headers: { 'Idempotency-Key': randomUUID(), ...CLIENT },
      data: {
        setupId: setup.id,
        fileName: 'many.csv',
        contentBase64: Buffer.from(`slate,take,shot_at_utc,notes\n${rows.join('\n')}\n`).toString('base64'),
        dryRun: false,
      },
    });
    expect(((await response.json()) as ImportResult).imported).toBe(TAKES);
    // The next question is planned for as many as there are now.
    expect(await plannedRows('takes')).toBeGreaterThanOrEqual(TAKES);
    const [day] = ((await (await request.get(`${base}/days`)).json()) as { items: { id: string }[] }).items;
    csv = [
      `${base}/days/${day.id}/takes.csv`,
      `${base}/days/${day.id}/takes.json`,
      `${base}/days/${day.id}/report.pdf`,
    ];
    await request.dispose();
  });

  test('CSV holds each take once, in the order of their times, under one header', async ({ request }) => {
    const answer = await request.get(csv[0]);
    expect(answer.headers()['content-disposition']).toContain('takes.csv');
    const lines = (await answer.text()).trimEnd().split('\r\n');
    expect(lines[0]).toMatch(/^slate,take,camera,/);
    expect(lines.filter((l) => l.startsWith('slate,'))).toHaveLength(1);
    const cells = lines.slice(1).map((l) => l.split(','));
    expect(cells.map((c) => `${c[0]}/${c[1]}`).sort()).toEqual(
      ['1/1', ...Array.from({ length: TAKES }, (_, k) => `2/${k + 1}`)].sort(),
    );
    const times = cells.map((c) => c[4]);
    expect([...times].sort()).toEqual(times);
    // Formulas stay words in every part.
    expect(lines.slice(1).filter((l) => l.includes(`"'=1+`))).toHaveLength(TAKES);
  });

  test('JSON is one document with each take once, and comes in again elsewhere', async ({ request }) => {
    const text = await (await request.get(csv[1])).text();
    const { production, takes } = JSON.parse(text) as { production: string; takes: Take[] };
    expect(production).toBe(code);
    expect(new Set(takes.map((t) => t.id)).size).toBe(TAKES + 1);
    const other = await ownProduction(request);
    const base = `/api/v1/productions/${other.code}`;
    const [setup] = ((await (await request.get(`${base}/setups`)).json()) as { items: { id: string }[] }).items;
    const response = await request.post(`${base}/takes/import`, {
      headers: { 'Idempotency-Key': randomUUID(), ...CLIENT },
      data: {
        setupId: setup.id,
        fileName: 'takes.json',
        contentBase64: Buffer.from(text.replace(/"(lensId|bodyId)":"[^"]*",?/g, '')).toString('base64'),
        dryRun: false,
        acceptRest: true,
      },
    });
    const { imported, rows } = (await response.json()) as ImportResult;
    // The one that is there already is named.
    expect(imported).toBe(TAKES);
    expect(rows.filter((r) => r.faults.length > 0).map((r) => r.label)).toEqual(['1 / 1 / A']);
  });

  test('the camera report has all of them on its pages', async ({ request }) => {
    const pdf = await (await request.get(csv[2])).body();
    expect(pdf.subarray(0, 5).toString()).toBe('%PDF-');
    const pages = pdf.toString('latin1').match(/\/Type \/Page\b(?!s)/g)!.length;
    // Some thirty lines on a page.
    expect(pages).toBeGreaterThan(TAKES / 40);
    expect(pages).toBeLessThan(TAKES / 20);
  });
});

test('the takes that decide the gap list are the right ones among many', async ({ request }) => {
  const { code } = await ownProduction(request);
  const base = `/api/v1/productions/${code}`;
  const read = async <T>(at: string) => ((await (await request.get(base + at)).json()) as { items: T[] }).items;
  const send = async (at: string, data: object) => {
    const response = await request.post(base + at, {
      data,
      headers: { 'Idempotency-Key': randomUUID(), ...CLIENT },
    });
    expect(response.status(), await response.text()).toBe(201);
  };
  const [{ id: _i, version: _v, createdAt: _c, updatedAt: _u, ...model }] = await read<Take>('/takes');
  const zooms = [0, 1].map(() => randomUUID());
  for (const [k, id] of zooms.entries())
    await send('/lenses', {
      id,
      name: `Skerry zoom ${k}`,
      kind: 'zoom',
      focalMinMm: 24,
      focalMaxMm: 70,
      tMin: 2,
      tMax: 22,
      closeFocusM: 0.5,
    });
  // The same numbers every time, of no order.
  let seed = 7;
  const any = (n: number) => (seed = (seed * 48271) % 2147483647) % n;
  for (let k = 0; k < 60; k++)
    await send('/takes', {
      ...model,
      id: randomUUID(),
      slate: '3',
      take: k + 1,
      lensId: [model.lensId, ...zooms][any(3)],
      lightCondition: ['', 'sun out', 'cloud over'][any(3)],
      shotAt: new Date(Date.UTC(2026, 9, 14, 8, any(400))).toISOString(),
      heightM: any(4) === 0 ? null : 1.5,
      tiltDeg: any(4) === 0 ? null : 0,
      focalMeasured: any(2) === 0,
    });
  const takes = (await read<Take>('/takes')).sort(
    (a, b) => Date.parse(a.shotAt) - Date.parse(b.shotAt) || (a.id < b.id ? -1 : 1),
  );
  const zoom = new Set((await read<LensRecord>('/lenses')).filter((l) => l.kind === 'zoom').map((l) => l.id));
  const db = await openDatabase(process.env.TAWNY_E2E_DATABASE!);
  try {
    const [{ id }]: { id: string }[] = await db.query('SELECT id FROM productions WHERE code = $1', [code]);
    const found = await decidingTakes(db, id);
    expect(found.map((t) => t.id)).toEqual([...new Set(found.map((t) => t.id))]);
    expect(found.length).toBeLessThan(takes.length / 2);
    const ids = (list: readonly { id: string }[]) => list.map((t) => t.id);
    // Whatever a rule asks of all takes, these answer in the same way.
    for (const light of ['', 'sun out', 'cloud over']) {
      const newest = (list: readonly Pick<Take, 'lightCondition' | 'shotAt'>[]) =>
        Math.max(...list.filter((t) => t.lightCondition === light).map((t) => Date.parse(t.shotAt)));
      expect(newest(found), light).toBe(newest(takes));
    }
    expect(new Set(found.map((t) => t.lensId))).toEqual(new Set(takes.map((t) => t.lensId)));
    const unplaced = <T extends Pick<Take, 'heightM' | 'tiltDeg'>>(list: readonly T[]) =>
      list.filter((t) => t.heightM === null || t.tiltDeg === null).slice(0, 3);
    expect(ids(unplaced(found))).toEqual(ids(unplaced(takes)));
    const readOff = <T extends Pick<Take, 'lensId' | 'focalMeasured'>>(list: readonly T[]) =>
      list.filter((t) => zoom.has(t.lensId) && !t.focalMeasured).slice(0, 3);
    expect(ids(readOff(found))).toEqual(ids(readOff(takes)));
  } finally {
    await db.destroy();
  }
});
