import { randomUUID } from 'node:crypto';
import type { APIRequestContext } from '@playwright/test';
import { Client } from 'pg';
import { CLIENT } from './api';

/** A production of a test's own, with a record of each written kind; whatever is done in it is nobody else's harm. */
export async function ownProduction(request: APIRequestContext): Promise<{ code: string; ids: string[] }> {
  const id = randomUUID();
  const code = `T${id.slice(0, 7).toUpperCase()}`;
  const client = new Client({ connectionString: process.env.TAWNY_E2E_DATABASE });
  await client.connect();
  try {
    await client.query("INSERT INTO productions (id, code, title, working_space) VALUES ($1, $2, 'A test', 'rec709')", [
      id,
      code,
    ]);
  } finally {
    await client.end();
  }
  const ids: string[] = [];
  const make = async (path: string, record: object): Promise<string> => {
    const made = randomUUID();
    const response = await request.post(`/api/v1/productions/${code}/${path}`, {
      data: { id: made, ...record },
      headers: { 'Idempotency-Key': made, ...CLIENT },
    });
    if (!response.ok()) throw new Error(`${path}: ${await response.text()}`);
    ids.push(made);
    return made;
  };
  const location = { name: 'Skerry', latitudeDeg: 57, longitudeDeg: -5, altitudeM: 3 };
  const locationId = await make('locations', location);
  const dayId = await make('days', {
    locationId,
    number: 1,
    date: '2026-10-14',
    unit: 'Main',
    callLocal: '08:00',
    wrapLocal: '18:00',
    weather: '',
  });
  const light = { kind: 'exterior', lightCondition: 'sun out', plannedCg: '', lightAt: null };
  const setupId = await make('setups', { dayId, name: 'Skerry', slate: '1', ...light });
  const gate = { gateWidthMm: 24.89, gateHeightMm: 14, widthPx: 1920, heightPx: 1080, maxFps: 60 };
  const bodyId = await make('bodies', { name: 'Corrie 35', baseEi: 800, formats: [{ name: 'full', ...gate }] });
  const range = { focalMinMm: 32, focalMaxMm: 32, tMin: 2, tMax: 22, closeFocusM: 0.4 };
  const lensId = await make('lenses', { name: 'Skerry prime 32', kind: 'prime', ...range });
  await make('takes', {
    setupId, slate: '1', take: 1, camera: 'A', status: 'good', bodyId, formatName: 'full', lensId, focalLengthMm: 32, tStop: 8, ei: 800, shutterAngleDeg: 180, fps: 24,
    whiteBalanceK: 5600, ndStops: 0, heightM: 1.5, tiltDeg: 0, headingDeg: 8, focusM: 3, eastM: 0, northM: 0, lightCondition: 'sun out', shotAt: '2026-10-14T12:00:00Z', notes: '',
  }); // prettier-ignore
  const stationId = await make('stations', { setupId, name: 'One', eastM: 0, northM: 0, heightM: 1.6 });
  await make('rounds', {
    stationId,
    name: 'Round 1',
    lightCondition: 'sun out',
    shotAt: '2026-10-14T12:00:00Z',
    rig: { projection: 'equidistant', fovDeg: 185, views: 6 },
  });
  return { code, ids };
}
