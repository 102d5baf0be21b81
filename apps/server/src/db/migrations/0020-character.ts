import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A plate keeps what its picture is like, with the decoding that it was measured in. */
export class Character1700000000020 implements MigrationInterface {
  name = 'Character1700000000020';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE plates ADD COLUMN measured_character jsonb');
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE plates DROP COLUMN measured_character');
  }
}
