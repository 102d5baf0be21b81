import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What the gap list asks of takes, each answered by as many steps as there are answers, however many takes a setup has. */
const INDEXES: Record<string, string> = {
  takes_by_light: '(production_id, setup_id, light_condition, shot_at DESC, id) WHERE removed_at IS NULL',
  takes_by_setup_lens: '(production_id, setup_id, lens_id, shot_at, id) WHERE removed_at IS NULL',
  takes_unplaced:
    '(production_id, setup_id, shot_at, id) WHERE removed_at IS NULL AND (height_m IS NULL OR tilt_deg IS NULL)',
  takes_read_off: '(production_id, setup_id, lens_id, shot_at, id) WHERE removed_at IS NULL AND NOT focal_measured',
};

export class GapIndexes1700000000011 implements MigrationInterface {
  name = 'GapIndexes1700000000011';

  async up(runner: QueryRunner): Promise<void> {
    for (const [name, on] of Object.entries(INDEXES)) await runner.query(`CREATE INDEX ${name} ON takes ${on}`);
  }

  async down(runner: QueryRunner): Promise<void> {
    for (const name of Object.keys(INDEXES)) await runner.query(`DROP INDEX ${name}`);
  }
}
