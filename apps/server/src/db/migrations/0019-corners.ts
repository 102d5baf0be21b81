import type { MigrationInterface, QueryRunner } from 'typeorm';

const corners = (card: string) => `
  (${card}) - 'plateRect' - 'panoramaRect' || jsonb_build_object(
    'falloffStops', 0,
    'plateCorners', jsonb_build_array(
      jsonb_build_array(${card}#>'{plateRect,left}', ${card}#>'{plateRect,top}'), jsonb_build_array(${card}#>'{plateRect,right}', ${card}#>'{plateRect,top}'),
      jsonb_build_array(${card}#>'{plateRect,right}', ${card}#>'{plateRect,bottom}'), jsonb_build_array(${card}#>'{plateRect,left}', ${card}#>'{plateRect,bottom}')),
    'panoramaCorners', (
      SELECT jsonb_build_array(jsonb_build_array(w, n), jsonb_build_array(e, n), jsonb_build_array(e, s), jsonb_build_array(w, s))
      FROM (SELECT 360 * (${card}#>>'{panoramaRect,left}')::float8 AS w, 360 * (${card}#>>'{panoramaRect,right}')::float8 AS e,
                   90 - 180 * (${card}#>>'{panoramaRect,top}')::float8 AS n, 90 - 180 * (${card}#>>'{panoramaRect,bottom}')::float8 AS s) sides))`;

const rectangles = (card: string) => `
  (${card}) - 'plateCorners' - 'panoramaCorners' - 'falloffStops' || jsonb_build_object(
    'plateRect', jsonb_build_object('left', ${card}#>'{plateCorners,0,0}', 'top', ${card}#>'{plateCorners,0,1}',
      'right', ${card}#>'{plateCorners,2,0}', 'bottom', ${card}#>'{plateCorners,2,1}'),
    'panoramaRect', jsonb_build_object('left', (${card}#>>'{panoramaCorners,0,0}')::float8 / 360, 'top', (90 - (${card}#>>'{panoramaCorners,0,1}')::float8) / 180,
      'right', (${card}#>>'{panoramaCorners,2,0}')::float8 / 360, 'bottom', (90 - (${card}#>>'{panoramaCorners,2,1}')::float8) / 180))`;

/** Cards are marked by their corners, no longer by upright rectangles; packages that rest on a gain know it in its new form. */
export class Corners1700000000019 implements MigrationInterface {
  name = 'Corners1700000000019';

  up = (runner: QueryRunner) => rewrite(runner, 'plateRect', corners);
  down = (runner: QueryRunner) => rewrite(runner, 'plateCorners', rectangles);
}

async function rewrite(runner: QueryRunner, from: string, to: (card: string) => string): Promise<void> {
  await runner.query(
    `UPDATE used_facts SET fields = jsonb_set(fields, '{scale,card}', ${to("(fields#>'{scale,card}')")})
      WHERE fact_kind = 'calibrations' AND fields#>'{scale,card}' ? '${from}'`,
  );
  await runner.query(
    `UPDATE calibrations SET scale = jsonb_set(scale, '{card}', ${to("(scale->'card')")}) WHERE scale->'card' ? '${from}'`,
  );
}
