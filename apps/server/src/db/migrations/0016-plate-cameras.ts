import type { MigrationInterface, QueryRunner } from 'typeorm';
import { owned, ref, versioned } from './sql';

/** Cameras measured from the strokes on a plate, and what of them a take carries; results may rest on marks of the plan and their measures. */
export class PlateCameras1700000000016 implements MigrationInterface {
  name = 'PlateCameras1700000000016';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`CREATE TABLE plate_cameras (${owned}, ${versioned}, removed_at timestamptz,
      ${ref('take_id', 'takes')}, ${ref('plate_id', 'plates')},
      strokes jsonb NOT NULL, found jsonb NOT NULL, residual_px float8 NOT NULL, verdict text NOT NULL, cause text, degenerate text)`);
    await runner.query('CREATE INDEX plate_cameras_of_take ON plate_cameras (take_id, created_at DESC)');
    for (const t of ['plate_cameras', 'plan_marks', 'plan_measures'])
      await runner.query(
        `CREATE TRIGGER note_change AFTER UPDATE OR DELETE ON ${t} FOR EACH ROW EXECUTE FUNCTION note_change()`,
      );
    await runner.query('ALTER TABLE takes ADD COLUMN picture_camera jsonb');
  }

  async down(runner: QueryRunner): Promise<void> {
    for (const t of ['plan_marks', 'plan_measures']) await runner.query(`DROP TRIGGER note_change ON ${t}`);
    await runner.query('ALTER TABLE takes DROP COLUMN picture_camera');
    await runner.query('DROP TABLE plate_cameras');
  }
}
