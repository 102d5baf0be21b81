import { randomUUID } from 'node:crypto';
import { createImage, RELATIVE_REC709 } from '@tawny/core';
import { CLIENT_HEADER, createClient, type Answered, type Asked, type OperationName } from '@tawny/contract';
import { writeExr } from '@tawny/formats';
import { builtInterface, openInstallation } from '../installation';

export const TAKES = 10000;
export const ROUNDS = 1000;
/** Days of the shoot that the setups are spread over. */
const SETUPS = 40;

export interface Stage {
  base: string;
  call: <N extends OperationName>(name: N, asked: Omit<Asked<N>, 'params'> & { id?: string }) => Promise<Answered<N>>;
  /** A setup with takes and a panorama. */
  setupId: string;
  roundId: string;
  stop: () => Promise<void>;
}

/** A server of its own on loopback with 40 setups, 10 000 takes and 1 000 rounds beside the demo's, and one panorama. */
export async function openStage(): Promise<Stage> {
  const own = await openInstallation('bench', { webFolder: await builtInterface() });
  const send = createClient(async ({ method, url, headers, body }) => {
    const response = await fetch(`${own.base}${url}`, { method, headers, body });
    return { status: response.status, text: await response.text() };
  }, randomUUID);
  const call: Stage['call'] = (name, { id, ...asked }) =>
    send(name, { ...asked, params: { production: 'HERN', ...(id ? { id } : {}) } } as never);
  const { setupId, roundId } = await fill(call, own.base);
  return {
    base: own.base,
    call,
    setupId,
    roundId,
    stop: own.stop,
  };
}

async function fill(call: Stage['call'], base: string): Promise<{ setupId: string; roundId: string }> {
  const quay = (await call('setups.list', {})).items.find((s) => s.name === 'Quay, low sun')!;
  const model = (await call('takes.list', { query: { setupId: quay.id } })).items[0];
  const { version: _v, createdAt: _c, updatedAt: _u, ...fields } = model;
  const plain = { ...fields, fromFile: undefined, changes: undefined, filterIds: undefined };
  for (let s = 0; s < SETUPS; s++) {
    const setup = await call('setups.create', {
      body: {
        id: randomUUID(),
        dayId: quay.dayId,
        name: `Bench ${s}`,
        slate: `${100 + s}`,
        kind: 'exterior',
        lightCondition: 'sun out',
        plannedCg: '',
        lightAt: quay.lightAt,
      },
    });
    const takes = Array.from({ length: TAKES / SETUPS }, (_, k) => ({
      ...plain,
      slate: `${100 + s}`,
      take: 1 + k,
      shotAt: new Date(Date.UTC(2026, 9, 14, 6) + (s * 250 + k) * 3000).toISOString(),
    }));
    const content = Buffer.from(JSON.stringify({ takes })).toString('base64');
    await call('takes.import', {
      body: { setupId: setup.id, fileName: 'takes.json', contentBase64: content, dryRun: false },
    });
    const station = await call('stations.create', {
      body: { id: randomUUID(), setupId: setup.id, name: 'Station', eastM: 0, northM: 0, heightM: 1.6 },
    });
    for (let r = 0; r < ROUNDS / SETUPS; r++)
      await call('rounds.create', {
        body: {
          id: randomUUID(),
          stationId: station.id,
          name: `Round ${r}`,
          lightCondition: 'sun out',
          shotAt: quay.lightAt!,
          rig: { projection: 'equidistant', fovDeg: 185, views: 6 },
        },
      });
  }
  return { setupId: quay.id, roundId: await panoramaOf(call, base, quay.id, quay.lightAt!) };
}

/** A round of the setup with a panorama from elsewhere. */
async function panoramaOf(call: Stage['call'], base: string, setupId: string, shotAt: string): Promise<string> {
  const [station] = (await call('stations.list', { query: { setupId } })).items;
  const round = await call('rounds.create', {
    body: {
      id: randomUUID(),
      stationId: station.id,
      name: 'Measured round',
      lightCondition: 'sun out',
      shotAt,
      rig: { projection: 'equidistant', fovDeg: 185, views: 6 },
    },
  });
  const image = createImage(4096, 2048, RELATIVE_REC709);
  for (let i = 0; i < image.data.length; i++) image.data[i] = 0.2 + 0.15 * Math.sin(i * 1.7e-4);
  const form = new FormData();
  form.append('frames', new Blob([new Uint8Array(await writeExr(image))]), 'bench.exr');
  const sent = await fetch(`${base}/api/v1/productions/HERN/rounds/${round.id}/panoramas`, {
    method: 'POST',
    headers: { [CLIENT_HEADER]: 'bench' },
    body: form,
  });
  if (!sent.ok) throw new Error(`the panorama was not taken in: ${(await sent.text()).slice(0, 300)}`);
  const { id } = (await sent.json()) as { id: string };
  for (;;) {
    const job = await call('jobs.get', { id });
    if (job.state === 'done') return round.id;
    if (job.state === 'failed') throw new Error(job.error?.message);
    await new Promise((r) => setTimeout(r, 300));
  }
}
