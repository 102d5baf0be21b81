import { randomUUID } from 'node:crypto';
import { expect, type APIRequestContext } from '@playwright/test';
import { answerOf, CLIENT_HEADER, operationAt, type OperationName } from '@tawny/contract';
import type { CameraBody, Job, LensRecord, LightRound, Setup, Station, Take } from '@tawny/contract';

export const HERN = '/api/v1/productions/HERN';
/** What every write of the tests says of itself. */
export const CLIENT = { [CLIENT_HEADER]: 'test' };
/** What is sent is answered once it is decoded. */
const SENT_MS = 90_000;

/** The operation of the table that a path below the production means. @throws when there is none: tests ask for nothing else */
function meant(method: string, path: string): OperationName {
  const name = operationAt(method, `${HERN}${path}`);
  if (!name) throw new Error(`the API's table has no ${method} ${path}`);
  return name;
}

/** Reads an answer as the table says it is. */
export async function getJson<T>(request: APIRequestContext, path: string): Promise<T> {
  const name = meant('GET', path);
  const response = await request.get(`${HERN}${path}`);
  const text = await response.text();
  expect(response.ok(), `${path}: ${response.status()}`).toBe(true);
  answerOf(name, response.status(), text);
  return JSON.parse(text) as T;
}

/** A write with its key; a good answer is held against the table. */
async function write(
  request: APIRequestContext,
  method: 'POST' | 'PATCH' | 'DELETE',
  path: string,
  data: unknown,
  key: string,
) {
  const name = meant(method, path);
  const response = await request.fetch(`${HERN}${path}`, {
    method,
    data,
    headers: { 'Idempotency-Key': key, ...CLIENT },
  });
  const text = await response.text();
  if (response.ok()) answerOf(name, response.status(), text);
  return { status: response.status(), headers: response.headers(), body: JSON.parse(text) };
}

export const postJson = (request: APIRequestContext, path: string, data: unknown, key: string = randomUUID()) =>
  write(request, 'POST', path, data, key);
export const patchJson = (request: APIRequestContext, path: string, data: unknown, key: string = randomUUID()) =>
  write(request, 'PATCH', path, data, key);
export const removeJson = (request: APIRequestContext, path: string, key: string = randomUUID()) =>
  write(request, 'DELETE', path, undefined, key);

/** Waits for a job to end. Asked so often that a step of the report for every time would cost more than the asking. */
export async function ended(job: Job): Promise<Job> {
  for (let tries = 0; tries < 600; tries++) {
    const response = await fetch(`${process.env.TAWNY_BASE}${HERN}/jobs/${job.id}`);
    const now = answerOf('jobs.get', response.status, await response.text());
    if (now.state !== 'queued' && now.state !== 'running') return now;
    await new Promise((r) => setTimeout(r, 300));
  }
  throw new Error(`job ${job.kind} did not end`);
}

export async function quay(request: APIRequestContext): Promise<{ setup: Setup; station: Station }> {
  const setups = await getJson<{ items: Setup[] }>(request, '/setups');
  const setup = setups.items.find((s) => s.name === 'Quay, low sun')!;
  const stations = await getJson<{ items: Station[] }>(request, `/stations?setupId=${setup.id}`);
  return { setup, station: stations.items[0] };
}

/** A setup and station for tests of the API, so that the ones that people walk through stay as seeded. */
export async function bench(request: APIRequestContext): Promise<{ setup: Setup; station: Station }> {
  const { setup: model } = await quay(request);
  const id = randomUUID();
  const setup = await postJson(request, '/setups', {
    id,
    dayId: model.dayId,
    name: 'Bench',
    slate: 'Z9',
    kind: 'exterior',
    lightCondition: 'bench light',
    plannedCg: '',
    lightAt: model.lightAt,
  });
  expect(setup.status).toBe(201);
  const station = await postJson(request, '/stations', {
    id: randomUUID(),
    setupId: id,
    name: 'Bench station',
    eastM: 0,
    northM: 0,
    heightM: 1.62,
  });
  return { setup: setup.body as Setup, station: station.body as Station };
}

async function kit(request: APIRequestContext) {
  const bodies = (await getJson<{ items: CameraBody[] }>(request, '/bodies')).items;
  const lenses = (await getJson<{ items: LensRecord[] }>(request, '/lenses')).items;
  return { body: bodies.find((b) => b.name === 'Corrie 35')!, lens: lenses.find((l) => l.name === 'Skerry prime 32')! };
}

/** A take of the demo kit. */
export async function newTake(request: APIRequestContext, setupId: string, more: object = {}): Promise<Take> {
  const { body, lens } = await kit(request);
  const made = await postJson(request, '/takes', {
    id: randomUUID(),
    setupId,
    slate: 'Z9',
    take: 1,
    camera: 'A',
    status: 'good',
    bodyId: body.id,
    formatName: '1920 full',
    lensId: lens.id,
    focalLengthMm: 32,
    tStop: 8,
    ei: 800,
    shutterAngleDeg: 180,
    fps: 24,
    whiteBalanceK: 5600,
    ndStops: 4,
    heightM: 1.5,
    tiltDeg: -1,
    headingDeg: 8,
    focusM: 6.5,
    eastM: -0.6,
    northM: -4.5,
    shotAt: '2026-10-14T15:40:00Z',
    notes: '',
    ...more,
  });
  expect(made.status, JSON.stringify(made.body)).toBe(201);
  return made.body as Take;
}

export async function newRound(
  request: APIRequestContext,
  rig: LightRound['rig'],
  name = 'Test round',
): Promise<LightRound> {
  return (await benchRound(request, rig, { name, lightCondition: 'bench light' })).round;
}

/** A round of a setup of its own, in a light. */
export async function benchRound(
  request: APIRequestContext,
  rig: LightRound['rig'],
  more: Pick<LightRound, 'name' | 'lightCondition'> & Partial<Pick<LightRound, 'shotAtFrom'>>,
): Promise<{ setup: Setup; round: LightRound }> {
  const { setup, station } = await bench(request);
  const { status, body } = await postJson(request, '/rounds', {
    id: randomUUID(),
    stationId: station.id,
    ...more,
    shotAt: setup.lightAt,
    rig,
  });
  expect(status).toBe(201);
  return { setup, round: body as LightRound };
}

export interface TestFile {
  name: string;
  mimeType: string;
  buffer: Buffer;
}

export async function sendFiles(request: APIRequestContext, path: string, files: TestFile[]) {
  const form = new FormData();
  for (const f of files) form.append('frames', new Blob([new Uint8Array(f.buffer)], { type: f.mimeType }), f.name);
  const response = await request.post(`${HERN}${path}`, { multipart: form, headers: CLIENT, timeout: SENT_MS });
  return { status: response.status(), body: await response.json() };
}

export const sendFrames = (request: APIRequestContext, roundId: string, files: TestFile[]) =>
  sendFiles(request, `/rounds/${roundId}/frames`, files);
