import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Panoramas keep what stood in some of their views only, so that another view can be chosen for it. */
export class MovedThings1700000000005 implements MigrationInterface {
  name = 'MovedThings1700000000005';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query("ALTER TABLE panoramas ADD COLUMN moved jsonb NOT NULL DEFAULT '[]'");
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE panoramas DROP COLUMN moved');
  }
}
