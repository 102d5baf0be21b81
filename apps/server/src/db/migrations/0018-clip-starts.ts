import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A clip knows when it began, and what that rests on. Of those that were there before nobody asked. */
export class ClipStarts1700000000018 implements MigrationInterface {
  name = 'ClipStarts1700000000018';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(
      "ALTER TABLE clips ADD COLUMN starts_at timestamptz, ADD COLUMN starts_at_from text NOT NULL DEFAULT ''",
    );
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE clips DROP COLUMN starts_at, DROP COLUMN starts_at_from');
  }
}
