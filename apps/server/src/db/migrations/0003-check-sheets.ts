import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Panoramas keep their check sheet and what was chosen when they were built. */
export class CheckSheets1700000000003 implements MigrationInterface {
  name = 'CheckSheets1700000000003';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`ALTER TABLE panoramas ADD COLUMN checks jsonb NOT NULL DEFAULT '[]', ADD COLUMN options jsonb NOT NULL DEFAULT '{}'`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE panoramas DROP COLUMN checks, DROP COLUMN options');
  }
}
