import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Panoramas say the working space of their pixels. Until now every one was in linear Rec. 709, whatever the production asked for. */
export class Spaces1700000000008 implements MigrationInterface {
  name = 'Spaces1700000000008';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(
      "ALTER TABLE panoramas ADD COLUMN space text NOT NULL DEFAULT 'rec709' CHECK (space IN ('rec709', 'acescg'))",
    );
    await runner.query('ALTER TABLE panoramas ALTER COLUMN space DROP DEFAULT');
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE panoramas DROP COLUMN space');
  }
}
