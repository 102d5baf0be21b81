import { ROUNDS, TAKES, type Stage } from './stage';

export interface BenchRow {
  what: string;
  bound: string;
  measured: string;
}

const REQUESTS = 200;
const CLIENTS = 50;
const EACH = 20;

export const percentile = (times: readonly number[], share: number): number =>
  [...times].sort((a, b) => a - b)[Math.min(times.length - 1, Math.floor(share * times.length))];

const ms = (v: number) => `${v.toFixed(0)} ms`;

/** One request after the other. */
async function timed(count: number, ask: () => Promise<unknown>): Promise<number[]> {
  const times: number[] = [];
  for (let k = 0; k < count; k++) {
    const start = performance.now();
    await ask();
    times.push(performance.now() - start);
  }
  return times;
}

/** What the server answers in, one client alone and 50 at a time; answers are read, not parsed by their schema. */
export async function apiRows({ base, setupId }: Stage): Promise<BenchRow[]> {
  const get = async (path: string) => {
    const response = await fetch(`${base}/api/v1/productions/HERN${path}`);
    const text = await response.text();
    if (!response.ok) throw new Error(`${path}: ${text.slice(0, 200)}`);
  };
  const rows: BenchRow[] = [];
  for (const [what, path, count] of [
    [`first page of ${TAKES} takes`, '/takes', REQUESTS],
    [`gap list with ${ROUNDS} rounds and ${TAKES} takes in 43 setups`, '/gaps', 40],
    [`first page of ${ROUNDS} rounds`, '/rounds', REQUESTS],
  ] as const) {
    await get(path);
    const times = await timed(count, () => get(path));
    const p95 = percentile(times, 0.95);
    rows.push({
      what: `${what} from the API, 95th percentile of ${count} requests`,
      bound: '100 ms',
      measured: `${ms(p95)}${p95 <= 100 ? '' : ', **missed**'} (median ${ms(percentile(times, 0.5))})`,
    });
  }
  const paths = ['/takes?limit=50', '/setups', `/takes?setupId=${setupId}`, '/rounds?limit=50', '/days', '/bodies'];
  const all = (
    await Promise.all(
      Array.from({ length: CLIENTS }, (_, c) => {
        let k = c;
        return timed(EACH, () => get(paths[k++ % paths.length]));
      }),
    )
  ).flat();
  rows.push({
    what: `${CLIENTS} clients at once, ${EACH} reads each of lists that a day's screens ask for: median, 95th, 99th percentile`,
    bound: '-',
    measured: [0.5, 0.95, 0.99].map((s) => ms(percentile(all, s))).join(', '),
  });
  return rows;
}
