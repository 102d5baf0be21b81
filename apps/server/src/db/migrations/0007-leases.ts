import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Jobs are held by a worker on a lease; the queue that stood beside them goes. */
export class Leases1700000000007 implements MigrationInterface {
  name = 'Leases1700000000007';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`ALTER TABLE jobs DROP COLUMN heartbeat_at, ADD COLUMN worker text, ADD COLUMN attempt integer NOT NULL DEFAULT 0,
      ADD COLUMN lease_until timestamptz, ADD COLUMN background boolean NOT NULL DEFAULT false`);
    // What was running belongs to no lease: it is taken up again.
    await runner.query(`UPDATE jobs SET state = 'queued', stage = 'Waiting for a worker' WHERE state = 'running'`);
    // Packages that were asked for get the number that their files will carry.
    await runner.query(`UPDATE jobs j SET input = input || jsonb_build_object('number', (SELECT count(*) + 1 FROM handoffs h WHERE h.setup_id = j.subject_id)
      + (SELECT count(*) FROM jobs e WHERE e.kind = 'handoff' AND e.state = 'queued' AND e.subject_id = j.subject_id AND (e.created_at, e.id) < (j.created_at, j.id)))
      WHERE kind = 'handoff' AND state = 'queued'`);
    await runner.query(
      `CREATE INDEX jobs_waiting ON jobs (background, created_at, id) WHERE state IN ('queued', 'running')`,
    );
    await runner.query('DROP SCHEMA IF EXISTS queue CASCADE');
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('DROP INDEX jobs_waiting');
    await runner.query(
      'ALTER TABLE jobs ADD COLUMN heartbeat_at timestamptz, DROP COLUMN worker, DROP COLUMN attempt, DROP COLUMN lease_until, DROP COLUMN background',
    );
  }
}
