import type { MigrationInterface, QueryRunner } from 'typeorm';
import { maybeRef } from './sql';

const [column, key] = maybeRef('rig_id', 'panorama_rigs').split(/, (?=FOREIGN)/);
const once = (columns: string) =>
  `CREATE UNIQUE INDEX camera_clocks_once ON camera_clocks (day_id, ${columns}) WHERE removed_at IS NULL`;

/** Every rig has a clock of its own. One that was logged for "the rig" is told whose it is where its day's rounds are of one rig only. */
export class RigClocks1700000000023 implements MigrationInterface {
  name = 'RigClocks1700000000023';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`ALTER TABLE camera_clocks ADD COLUMN ${column}, ADD ${key}`);
    await runner.query(
      `UPDATE camera_clocks c SET rig_id = one.rig_id
       FROM (SELECT u.day_id, (array_agg(r.rig_id))[1] AS rig_id
             FROM rounds r JOIN stations s ON s.id = r.station_id JOIN setups u ON u.id = s.setup_id
             WHERE r.removed_at IS NULL
             GROUP BY u.day_id HAVING count(DISTINCT r.rig_id) = 1 AND count(*) = count(r.rig_id)) one
       WHERE one.day_id = c.day_id AND c.camera = 'Rig'`,
    );
    await runner.query('DROP INDEX camera_clocks_once');
    await runner.query(once("camera, coalesce(rig_id, '00000000-0000-0000-0000-000000000000')"));
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('DROP INDEX camera_clocks_once');
    // Of several rigs' clocks the one that was looked at last stays: the table held one.
    await runner.query(
      `DELETE FROM camera_clocks c USING camera_clocks later
       WHERE later.day_id = c.day_id AND later.camera = c.camera AND c.removed_at IS NULL AND later.removed_at IS NULL
         AND (later.updated_at, later.id) > (c.updated_at, c.id)`,
    );
    await runner.query('ALTER TABLE camera_clocks DROP COLUMN rig_id');
    await runner.query(once('camera'));
  }
}
