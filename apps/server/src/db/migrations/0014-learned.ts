import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Panoramas keep what their build learnt of the rig. */
export class Learned1700000000014 implements MigrationInterface {
  name = 'Learned1700000000014';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE panoramas ADD COLUMN learned jsonb');
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE panoramas DROP COLUMN learned');
  }
}
