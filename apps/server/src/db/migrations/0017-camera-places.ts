import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * A camera that nobody placed stands nowhere: the origin of the plan was written of it, and nobody could tell that from a camera that stood there.
 * Such takes of old that know neither height, tilt nor heading were never placed. Frames keep what the camera's compass wrote into them.
 */
export class CameraPlaces1700000000017 implements MigrationInterface {
  name = 'CameraPlaces1700000000017';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`ALTER TABLE takes ALTER COLUMN east_m DROP NOT NULL, ALTER COLUMN north_m DROP NOT NULL,
      ADD COLUMN station_offset jsonb`);
    await runner.query('ALTER TABLE frames ADD COLUMN compass_deg float8, ADD COLUMN compass_north text');
    await runner.query('ALTER TABLE panoramas ADD COLUMN views_compass jsonb');
    await runner.query(`UPDATE takes SET east_m = NULL, north_m = NULL
      WHERE east_m = 0 AND north_m = 0 AND height_m IS NULL AND tilt_deg IS NULL AND heading_deg IS NULL`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE panoramas DROP COLUMN views_compass');
    await runner.query('ALTER TABLE frames DROP COLUMN compass_deg, DROP COLUMN compass_north');
    await runner.query('UPDATE takes SET east_m = coalesce(east_m, 0), north_m = coalesce(north_m, 0)');
    await runner.query(`ALTER TABLE takes ALTER COLUMN east_m SET NOT NULL, ALTER COLUMN north_m SET NOT NULL,
      DROP COLUMN station_offset`);
  }
}
