import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Panoramas keep how level they are known to be: north by the sun is told no better than that allows. */
export class LevelKnown1700000000006 implements MigrationInterface {
  name = 'LevelKnown1700000000006';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE panoramas ADD COLUMN level_deg float8');
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE panoramas DROP COLUMN level_deg');
  }
}
