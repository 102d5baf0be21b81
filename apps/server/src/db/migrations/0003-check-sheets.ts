import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Panoramas keep their check sheet and what was chosen when they were built; rounds may keep views sorted by hand. */
export class CheckSheets1700000000003 implements MigrationInterface {
  name = 'CheckSheets1700000000003';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(
      `ALTER TABLE panoramas ADD COLUMN checks jsonb NOT NULL DEFAULT '[]', ADD COLUMN options jsonb NOT NULL DEFAULT '{}'`,
    );
    await runner.query('ALTER TABLE rounds ADD COLUMN manual_views jsonb');
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE panoramas DROP COLUMN checks, DROP COLUMN options');
    await runner.query('ALTER TABLE rounds DROP COLUMN manual_views');
  }
}
