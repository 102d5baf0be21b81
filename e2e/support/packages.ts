import { execFileSync } from 'node:child_process';
import { createHash, randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { expect, type APIRequestContext } from '@playwright/test';
import type { Handoff, Job } from '@tawny/contract';
import { ended, getJson, HERN, postJson } from './api';
import type { Measured } from './lit';

/** Makes a package, downloads it, checks its hash and unpacks it; who asked removes the folder. */
export async function pack(
  request: APIRequestContext,
  { panorama, setupId, take, reaim }: Pick<Measured, 'panorama' | 'setupId' | 'take'> & { reaim?: boolean },
): Promise<{ handoff: Handoff; folder: string }> {
  const asked = await postJson(request, '/handoffs', {
    id: randomUUID(),
    setupId,
    panoramaId: panorama.id,
    takeId: take.id,
    reaim,
  });
  expect(asked.status, JSON.stringify(asked.body)).toBe(202);
  const job = await ended(asked.body as Job);
  expect(job.state, JSON.stringify(job.error)).toBe('done');
  const handoff = (await getJson<{ items: Handoff[] }>(request, `/handoffs?setupId=${setupId}`)).items.find(
    (h) => h.id === job.resultId,
  )!;
  const zip = await (await request.get(`${HERN}/handoffs/${handoff.id}/download`)).body();
  expect(zip.length).toBe(handoff.sizeBytes);
  expect(createHash('sha256').update(zip).digest('hex')).toBe(handoff.hash);
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-pack-'));
  await fs.writeFile(path.join(folder, 'package.zip'), zip);
  execFileSync('python3', ['-m', 'zipfile', '-e', path.join(folder, 'package.zip'), folder]);
  return { handoff, folder };
}

/** The file in a folder whose name fits. */
export const fileIn = async (folder: string, name: RegExp) =>
  path.join(
    folder,
    (await fs.readdir(folder)).find((n) => name.test(n))!,
  );
