import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Choices of builds, and what they are called from now on. */
const CHOICES = [
  ['panoramas', 'options'],
  ['jobs', 'input'],
] as const;
const NAMES = [
  ['ghosts', 'moved'],
  ['ghostStops', 'movedStops'],
] as const;

async function renameKeys(
  runner: QueryRunner,
  table: string,
  column: string,
  names: readonly (readonly [string, string])[],
): Promise<void> {
  for (const [before, after] of names)
    await runner.query(
      `UPDATE ${table} SET ${column} = (${column} - '${before}') || jsonb_build_object('${after}', ${column}->'${before}') WHERE ${column} ? '${before}'`,
    );
}

/**
 * Rounds say where their time comes from and which rig of the kit they began with, frames whose zone their time was read in. Rounds of before stand at the time that was planned;
 * of their frames nobody knows the zone. Jobs say when they last lost a worker.
 */
export class Times1700000000012 implements MigrationInterface {
  name = 'Times1700000000012';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(
      `ALTER TABLE rounds ADD COLUMN shot_at_from text NOT NULL DEFAULT 'planned' CHECK (shot_at_from IN ('planned', 'files', 'entered')),
        ADD COLUMN shot_at_uncertainty_s float8, ADD COLUMN shot_at_source text NOT NULL DEFAULT 'planned light time'`,
    );
    await runner.query(
      `ALTER TABLE rounds ADD COLUMN rig_id uuid, ADD COLUMN north_unknown boolean NOT NULL DEFAULT false,
        ADD FOREIGN KEY (production_id, rig_id) REFERENCES panorama_rigs(production_id, id) ON DELETE SET NULL (rig_id)`,
    );
    await runner.query(`ALTER TABLE frames ADD COLUMN zone_from text CHECK (zone_from IN ('file', 'location'))`);
    await runner.query('ALTER TABLE panoramas ADD COLUMN sun_frame_id uuid');
    for (const [table, column] of CHOICES) await renameKeys(runner, table, column, NAMES);
    await runner.query('ALTER TABLE jobs ADD COLUMN lost_at timestamptz');
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query(
      'ALTER TABLE rounds DROP COLUMN shot_at_from, DROP COLUMN shot_at_uncertainty_s, DROP COLUMN shot_at_source',
    );
    await runner.query('ALTER TABLE rounds DROP COLUMN rig_id, DROP COLUMN north_unknown');
    await runner.query('ALTER TABLE frames DROP COLUMN zone_from');
    await runner.query('ALTER TABLE panoramas DROP COLUMN sun_frame_id');
    await runner.query('ALTER TABLE jobs DROP COLUMN lost_at');
    const back = NAMES.map(([a, b]) => [b, a] as const);
    for (const [table, column] of CHOICES) await renameKeys(runner, table, column, back);
  }
}
