import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Calibrations say why a part of them was gone back to or set aside. */
export class MeasuredBefore1700000000015 implements MigrationInterface {
  name = 'MeasuredBefore1700000000015';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query("ALTER TABLE calibrations ADD COLUMN reason text NOT NULL DEFAULT ''");
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE calibrations DROP COLUMN reason');
  }
}
