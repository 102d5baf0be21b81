import { randomUUID } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';

const TAKES = 10000;
const REQUESTS = 200;

interface Cluster {
  url: string;
  stop: () => void;
}

/** First page of a production with 10 000 takes, asked over HTTP from a server of its own on loopback, one request after the other. */
export async function takesPage(): Promise<{ requests: number; p95Ms: number; medianMs: number }> {
  const { startPostgres, freePort } = (await import('../setup/postgres.mjs' as string)) as {
    startPostgres: (name: string, o: object) => Promise<Cluster>;
    freePort: () => Promise<number>;
  };
  const { startServices } = (await import('../setup/services.mjs' as string)) as {
    startServices: (o: object) => Promise<{ base: string; stop: () => Promise<void> }>;
  };
  const postgres = await startPostgres('bench', { durable: false });
  const filesFolder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-bench-files-'));
  try {
    const services = await startServices({
      databaseUrl: postgres.url,
      filesFolder,
      port: await freePort(),
      demoDate: '2026-10-14',
      logLevel: 'error',
    });
    try {
      const api = `${services.base}/api/v1/productions/HERN`;
      const get = async (where: string) =>
        (await (await fetch(api + where)).json()) as { items: Record<string, unknown>[]; next: string | null };
      const setup = (await get('/setups')).items.find((s) => s.name === 'Quay, low sun')!;
      const model = (await get(`/takes?setupId=${String(setup.id)}`)).items[0];
      const there = await get('/takes?limit=200');
      if (there.items.length < 200) {
        const takes = Array.from({ length: TAKES }, (_, k) => ({
          ...model,
          id: randomUUID(),
          slate: `${100 + (k % 40)}A`,
          take: 1 + Math.floor(k / 40),
          shotAt: new Date(Date.UTC(2026, 9, 14, 6) + k * 3000).toISOString(),
        }));
        for (let i = 0; i < TAKES; i += 2000) {
          const body = {
            setupId: setup.id,
            fileName: 'takes.json',
            contentBase64: Buffer.from(JSON.stringify({ takes: takes.slice(i, i + 2000) })).toString('base64'),
            dryRun: false,
          };
          const sent = await fetch(`${api}/takes/import`, {
            method: 'POST',
            headers: { 'Content-Type': 'application/json', 'Idempotency-Key': randomUUID() },
            body: JSON.stringify(body),
          });
          if (!sent.ok) throw new Error(`the takes were not imported: ${(await sent.text()).slice(0, 300)}`);
        }
      }
      const times: number[] = [];
      for (let k = 0; k < REQUESTS; k++) {
        const start = performance.now();
        await get('/takes');
        times.push(performance.now() - start);
      }
      times.sort((a, b) => a - b);
      return { requests: REQUESTS, p95Ms: times[Math.floor(0.95 * REQUESTS)], medianMs: times[REQUESTS >> 1] };
    } finally {
      await services.stop();
    }
  } finally {
    postgres.stop();
    fs.rmSync(filesFolder, { recursive: true, force: true });
  }
}
