import type { MigrationInterface, QueryRunner } from 'typeorm';

/** One card of several can be set aside: a calibration says which of its parts were, and why. */
export class CardsAside1700000000021 implements MigrationInterface {
  name = 'CardsAside1700000000021';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query("ALTER TABLE calibrations ADD COLUMN aside jsonb NOT NULL DEFAULT '{}'");
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE calibrations DROP COLUMN aside');
  }
}
