import { Client } from 'pg';
import { openInstallation } from '../installation';
import { percentile, type BenchRow } from './api';

const SIZES = [1000, 10000, 100000];
const CLIENTS = 50;
const EACH = 10;
const API = '/api/v1/productions/HERN';
/** Of the gap list, by how many takes the one setup has. */
const BOUNDS: Record<number, number> = { 1000: 100, 10000: 100, 100000: 500 };

interface Setup {
  id: string;
  dayId: string;
}

/** How what a day asks for grows with the takes of one setup. */
export async function growthRows(): Promise<BenchRow[]> {
  const own = await openInstallation('growth');
  const client = new Client({ connectionString: own.databaseUrl });
  await client.connect();
  const ask = async (at: string) => {
    const started = performance.now();
    const response = await fetch(`${own.base}${API}${at}`);
    const text = await response.text();
    if (!response.ok) throw new Error(`${at}: ${text.slice(0, 200)}`);
    return performance.now() - started;
  };
  const timed = async (at: string, count: number) => {
    await ask(at);
    const times: number[] = [];
    for (let k = 0; k < count; k++) times.push(await ask(at));
    return times;
  };
  const ms = (v: number) => `${v.toFixed(0)} ms`;
  const rows: BenchRow[] = [];
  try {
    const setup = ((await (await fetch(`${own.base}${API}/setups`)).json()) as { items: Setup[] }).items[0];
    let there = 0;
    for (const size of SIZES) {
      // Copies of a take of the demo, a minute apart.
      await client.query(
        `INSERT INTO takes (id, production_id, setup_id, slate, take, camera, status, body_id, format_name, lens_id, focal_length_mm, t_stop, ei, shutter_angle_deg, fps, white_balance_k, nd_stops,
           height_m, tilt_deg, heading_deg, heading_north, focus_m, east_m, north_m, light_condition, clip, roll, support, flopped, focal_measured, changes, from_file, filter_ids, shot_at, notes)
         SELECT gen_random_uuid(), production_id, $1, 'G', n, camera, status, body_id, format_name, lens_id, focal_length_mm, t_stop, ei, shutter_angle_deg, fps, white_balance_k, nd_stops,
           height_m, tilt_deg, heading_deg, heading_north, focus_m, east_m, north_m, light_condition, clip, roll, support, flopped, focal_measured, changes, from_file, filter_ids, shot_at + n * interval '1 minute', notes
         FROM (SELECT * FROM takes LIMIT 1) model, generate_series($2::int, $3::int) n`,
        [setup.id, there + 1, size],
      );
      there = size;
      await client.query('ANALYZE');
      const gaps = await timed('/gaps', 20);
      const p95 = percentile(gaps, 0.95);
      rows.push({
        what: `gap list, ${size} takes in one setup, 95th percentile of 20 requests`,
        bound: `${BOUNDS[size]} ms`,
        measured: `${ms(p95)}${p95 <= BOUNDS[size] ? '' : ', **missed**'} (median ${ms(percentile(gaps, 0.5))})`,
      });
      for (const [what, at, count] of [
        ['first page of the log', `/takes?setupId=${setup.id}`, 40],
        ['marks of the day', `/days/${setup.dayId}/marks`, 20],
        ['CSV of the day', `/days/${setup.dayId}/takes.csv`, size > 10000 ? 1 : 3],
      ] as const)
        rows.push({
          what: `${what}, ${size} takes`,
          bound: '-',
          measured: `${ms(percentile(await timed(at, count), 0.5))}, median`,
        });
      // While somebody exports everything, others go on.
      let over = false;
      const paths = [`/takes?setupId=${setup.id}`, '/setups', '/days', '/gaps', '/bodies'];
      const exporting = (async () => {
        while (!over) await ask(`/days/${setup.dayId}/takes.csv`);
      })();
      const all = (
        await Promise.all(
          Array.from({ length: CLIENTS }, async (_, c) => {
            const times: number[] = [];
            for (let k = 0; k < EACH; k++) times.push(await ask(paths[(c + k) % paths.length]));
            return times;
          }),
        )
      ).flat();
      over = true;
      await exporting;
      rows.push({
        what: `${CLIENTS} clients at once beside an export of the day, ${size} takes: median, 95th, 99th percentile`,
        bound: '-',
        measured: [0.5, 0.95, 0.99].map((s) => ms(percentile(all, s))).join(', '),
      });
    }
    return rows;
  } finally {
    await client.end();
    await own.stop();
  }
}
