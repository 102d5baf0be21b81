import type { MigrationInterface, QueryRunner } from 'typeorm';
import { owned, versioned } from './sql';

const PICTURES = ['plates', 'clips', 'set_references'];
const BEFORE = 'taken in before files were asked for it';
const FLOATS = '{"curve": "linear", "range": "full", "primaries": "rec709"}';

/**
 * Pictures say what their code values mean: by their file, or as a person said. Of pictures of before only floats are known to be linear. Curves come into the kit.
 */
export class Decodings1700000000013 implements MigrationInterface {
  name = 'Decodings1700000000013';

  async up(runner: QueryRunner): Promise<void> {
    for (const table of PICTURES)
      await runner.query(
        `ALTER TABLE ${table} ADD COLUMN file_decoding jsonb, ADD COLUMN file_decoding_source text NOT NULL DEFAULT '${BEFORE}', ADD COLUMN entered_decoding jsonb`,
      );
    await runner.query(
      `ALTER TABLE frames ADD COLUMN file_decoding jsonb, ADD COLUMN file_decoding_source text NOT NULL DEFAULT '${BEFORE}'`,
    );
    for (const table of ['plates', 'frames'])
      await runner.query(
        `UPDATE ${table} SET file_decoding = '${FLOATS}', file_decoding_source = 'floats are linear' WHERE bits = 32`,
      );
    await runner.query(
      `CREATE TABLE curves (${owned}, ${versioned}, removed_at timestamptz, name text NOT NULL, file_name text NOT NULL, hash text NOT NULL, input text, output text)`,
    );
    await runner.query('CREATE UNIQUE INDEX curves_by_file ON curves (production_id, hash) WHERE removed_at IS NULL');
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('DROP TABLE curves');
    for (const table of PICTURES)
      await runner.query(
        `ALTER TABLE ${table} DROP COLUMN file_decoding, DROP COLUMN file_decoding_source, DROP COLUMN entered_decoding`,
      );
    await runner.query('ALTER TABLE frames DROP COLUMN file_decoding, DROP COLUMN file_decoding_source');
  }
}
