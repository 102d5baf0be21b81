import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Frames keep a glance and where they looked, and may not tell their exposure; lenses keep their distortion, rounds what was seen while shooting, panoramas mask and uncertainty. */
export class HoldUp1700000000004 implements MigrationInterface {
  name = 'HoldUp1700000000004';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(
      'ALTER TABLE frames ALTER COLUMN shutter_s DROP NOT NULL, ADD COLUMN look jsonb, ADD COLUMN heading_deg float8, ADD COLUMN tilt_deg float8, ADD COLUMN roll_deg float8',
    );
    // 0 stands for a file that does not tell.
    await runner.query(
      'ALTER TABLE frames DROP CONSTRAINT frames_exposure_check, ADD CONSTRAINT frames_exposure_check CHECK (exposure >= 0)',
    );
    await runner.query('ALTER TABLE lenses ADD COLUMN distortion jsonb');
    await runner.query('ALTER TABLE rounds ADD COLUMN view_checks jsonb');
    await runner.query('ALTER TABLE panoramas ADD COLUMN measure_hash text');
    await runner.query("ALTER TABLE set_references ADD COLUMN taken_at_from text NOT NULL DEFAULT 'file'");
    await runner.query(
      'ALTER TABLE camera_clocks ADD COLUMN reference_id uuid, ADD COLUMN uncertainty_s float8 NOT NULL DEFAULT 1',
    );
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE set_references DROP COLUMN taken_at_from');
    await runner.query('ALTER TABLE camera_clocks DROP COLUMN reference_id, DROP COLUMN uncertainty_s');
    await runner.query('ALTER TABLE panoramas DROP COLUMN measure_hash');
    await runner.query('ALTER TABLE rounds DROP COLUMN view_checks');
    await runner.query('ALTER TABLE lenses DROP COLUMN distortion');
    await runner.query(
      'ALTER TABLE frames DROP CONSTRAINT frames_exposure_check, ADD CONSTRAINT frames_exposure_check CHECK (exposure > 0)',
    );
    await runner.query(
      'ALTER TABLE frames DROP COLUMN look, DROP COLUMN heading_deg, DROP COLUMN tilt_deg, DROP COLUMN roll_deg',
    );
  }
}
