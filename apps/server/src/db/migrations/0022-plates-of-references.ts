import type { MigrationInterface, QueryRunner } from 'typeorm';
import { maybeRef } from './sql';

const [column, key] = maybeRef('reference_id', 'set_references').split(/, (?=FOREIGN)/);

/** A plate says when it is a photograph of a card or ball and no frame of its take's picture. Those of before are told by their bytes. */
export class PlatesOfReferences1700000000022 implements MigrationInterface {
  name = 'PlatesOfReferences1700000000022';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`ALTER TABLE plates ADD COLUMN ${column}, ADD ${key}`);
    await runner.query(
      'UPDATE plates p SET reference_id = r.id FROM set_references r WHERE r.production_id = p.production_id AND r.take_id = p.take_id AND r.hash = p.hash',
    );
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE plates DROP COLUMN reference_id');
  }
}
