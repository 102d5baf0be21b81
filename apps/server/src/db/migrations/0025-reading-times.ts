import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A reading says how its time is known. One that has the time of its setup's planned light, or of a take of it, to the millisecond was given it by the form. */
export class ReadingTimes1700000000025 implements MigrationInterface {
  name = 'ReadingTimes1700000000025';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`ALTER TABLE readings ADD COLUMN taken_at_from text NOT NULL DEFAULT 'logged'`);
    await runner.query(
      `UPDATE readings r SET taken_at_from = 'assumed'
       WHERE EXISTS (SELECT 1 FROM setups s WHERE s.id = r.setup_id AND s.light_at = r.taken_at)
          OR EXISTS (SELECT 1 FROM takes t WHERE t.setup_id = r.setup_id AND t.shot_at = r.taken_at)`,
    );
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE readings DROP COLUMN taken_at_from');
  }
}
