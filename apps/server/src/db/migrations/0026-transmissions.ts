import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * A lens of which nobody stated how much light it lets through says so. Those that have the usual value were given it by the form; where somebody
 * stated just that, nothing computed changes. What rests on them used the same value: it is not stale.
 */
export class Transmissions1700000000026 implements MigrationInterface {
  name = 'Transmissions1700000000026';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(
      'ALTER TABLE lenses ALTER COLUMN transmission DROP NOT NULL, ALTER COLUMN transmission DROP DEFAULT',
    );
    await runner.query(
      `UPDATE used_facts SET fields = fields || '{"transmission": null}'
       WHERE fact_kind = 'lenses' AND (fields->>'transmission')::float8 = 0.8`,
    );
    await runner.query('UPDATE lenses SET transmission = NULL WHERE transmission = 0.8');
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('UPDATE lenses SET transmission = 0.8 WHERE transmission IS NULL');
    await runner.query(
      'ALTER TABLE lenses ALTER COLUMN transmission SET DEFAULT 0.8, ALTER COLUMN transmission SET NOT NULL',
    );
  }
}
