import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A take says how its time is known. One that stands exactly three minutes after another of its setup was given that time by the form, by nobody. */
export class TakeTimes1700000000024 implements MigrationInterface {
  name = 'TakeTimes1700000000024';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`ALTER TABLE takes ADD COLUMN shot_at_from text NOT NULL DEFAULT 'logged'`);
    await runner.query(
      `UPDATE takes t SET shot_at_from = 'assumed' FROM takes before
       WHERE before.setup_id = t.setup_id AND t.shot_at = before.shot_at + interval '3 minutes'
         AND NOT t.from_file ? 'shotAt'`,
    );
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE takes DROP COLUMN shot_at_from');
  }
}
