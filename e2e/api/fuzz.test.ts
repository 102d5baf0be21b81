import { expect, test } from '@playwright/test';
import { fuzz } from '../../tools/faults/fuzz';
import { ownProduction } from '../support/production';

const REQUESTS = 4000;

test('no request gets a 500, an inside or a refusal without words, whatever it says', async ({ request, baseURL }) => {
  const { code, ids } = await ownProduction(request);
  const report = await fuzz(baseURL!, code, ids, { requests: REQUESTS, seed: 12, mostMs: 120_000 });
  console.log(
    `      ${report.requests} requests: ${JSON.stringify(report.statuses)}, slowest ${report.slowestMs.toFixed(0)} ms`,
  );
  const told = report.wrong.map(({ request: r, answer, why }) => ({
    why,
    asked: `${r.method} ${r.path}`,
    body: r.body?.toString('utf8').slice(0, 300),
    answer: answer.text.slice(0, 300),
  }));
  expect(told.slice(0, 5)).toEqual([]);
  expect(report.requests).toBe(REQUESTS);
  // Nearly right ones are among them, or nothing was tried.
  expect(report.statuses[200] + report.statuses[201]).toBeGreaterThan(REQUESTS / 40);
  expect((await request.get('/health')).ok()).toBe(true);
});
