import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What stands on what: a record of the second table names one of the first in a column, and keeps it from being removed. */
const HOLDS: readonly [parent: string, parentNoun: string, child: string, column: string, childNoun: string][] = [
  ['locations', 'location', 'shoot_days', 'location_id', 'shoot day'],
  ['shoot_days', 'shoot day', 'setups', 'day_id', 'setup'],
  ['setups', 'setup', 'takes', 'setup_id', 'take'],
  ['setups', 'setup', 'stations', 'setup_id', 'station'],
  ['setups', 'setup', 'readings', 'setup_id', 'reading'],
  ['setups', 'setup', 'set_references', 'setup_id', 'reference'],
  ['setups', 'setup', 'lamp_records', 'setup_id', 'lamp'],
  ['setups', 'setup', 'eye_lines', 'setup_id', 'eye line'],
  ['setups', 'setup', 'plan_marks', 'setup_id', 'mark'],
  ['stations', 'station', 'rounds', 'station_id', 'round'],
  ['camera_bodies', 'camera body', 'takes', 'body_id', 'take'],
  ['lenses', 'lens', 'takes', 'lens_id', 'take'],
  ['plan_marks', 'mark', 'plan_measures', 'from_mark_id', 'measure'],
  ['plan_marks', 'mark', 'plan_measures', 'to_mark_id', 'measure'],
];

const by = (place: 0 | 2) => [...new Set(HOLDS.map((h) => h[place]))];
const quoted = (words: readonly string[]) => words.map((w) => `'${w}'`).join(', ');

const UP = [
  // A parent whose children stayed comes back: nothing that was logged is out of reach.
  ...HOLDS.map(
    ([parent, , child, column]) =>
      `UPDATE ${parent} p SET removed_at = NULL WHERE removed_at IS NOT NULL AND EXISTS (SELECT 1 FROM ${child} c WHERE c.${column} = p.id AND c.removed_at IS NULL)`,
  ),
  // Told with state TW001: what hangs on it, counted.
  `CREATE FUNCTION refuse_removal() RETURNS trigger LANGUAGE plpgsql AS $$
    DECLARE found bigint; hangs text[] := '{}'; i integer := 0;
    BEGIN
      WHILE i < TG_NARGS LOOP
        EXECUTE format('SELECT count(*) FROM %I WHERE %I = $1 AND removed_at IS NULL', TG_ARGV[i], TG_ARGV[i + 1]) INTO found USING OLD.id;
        IF found > 0 THEN hangs := hangs || (found || ' ' || TG_ARGV[i + 2] || CASE WHEN found = 1 THEN '' ELSE 's' END); END IF;
        i := i + 3;
      END LOOP;
      IF hangs <> '{}' THEN RAISE EXCEPTION USING ERRCODE = 'TW001', MESSAGE = array_to_string(hangs, ', '); END IF;
      RETURN NEW;
    END $$`,
  // Told with state TW002: what it would hang on is removed. The lock lets nobody remove it meanwhile.
  `CREATE FUNCTION refuse_orphan() RETURNS trigger LANGUAGE plpgsql AS $$
    DECLARE gone timestamptz; i integer := 0;
    BEGIN
      WHILE i < TG_NARGS LOOP
        IF TG_OP = 'INSERT' OR to_jsonb(NEW) -> TG_ARGV[i + 1] IS DISTINCT FROM to_jsonb(OLD) -> TG_ARGV[i + 1] OR OLD.removed_at IS NOT NULL THEN
          EXECUTE format('SELECT removed_at FROM %I WHERE id = $1 AND production_id = $2 FOR SHARE', TG_ARGV[i]) INTO gone
            USING (to_jsonb(NEW) ->> TG_ARGV[i + 1])::uuid, NEW.production_id;
          IF gone IS NOT NULL THEN RAISE EXCEPTION USING ERRCODE = 'TW002', MESSAGE = TG_ARGV[i + 2]; END IF;
        END IF;
        i := i + 3;
      END LOOP;
      RETURN NEW;
    END $$`,
  ...by(0).map(
    (parent) =>
      `CREATE TRIGGER refuse_removal BEFORE UPDATE OF removed_at ON ${parent} FOR EACH ROW WHEN (OLD.removed_at IS NULL AND NEW.removed_at IS NOT NULL)
        EXECUTE FUNCTION refuse_removal(${HOLDS.filter((h) => h[0] === parent)
          .map(([, , child, column, noun]) => quoted([child, column, noun]))
          .join(', ')})`,
  ),
  ...by(2).map(
    (child) =>
      `CREATE TRIGGER refuse_orphan BEFORE INSERT OR UPDATE ON ${child} FOR EACH ROW WHEN (NEW.removed_at IS NULL)
        EXECUTE FUNCTION refuse_orphan(${HOLDS.filter((h) => h[2] === child)
          .map(([parent, noun, , column]) => quoted([parent, column, noun]))
          .join(', ')})`,
  ),
  // What is counted before a removal is found, not searched for.
  `CREATE INDEX takes_by_body ON takes (body_id)`,
  `CREATE INDEX takes_by_lens ON takes (lens_id)`,
  `CREATE INDEX rounds_by_station ON rounds (station_id)`,
  `CREATE INDEX setups_by_day ON setups (day_id)`,
  `CREATE INDEX stations_by_setup ON stations (setup_id)`,
];

/** What something hangs on cannot be removed, and nothing hangs on what was removed, whoever is first. */
export class Holds1700000000010 implements MigrationInterface {
  name = 'Holds1700000000010';

  async up(runner: QueryRunner): Promise<void> {
    for (const sql of UP) await runner.query(sql);
  }

  async down(runner: QueryRunner): Promise<void> {
    for (const index of ['takes_by_body', 'takes_by_lens', 'rounds_by_station', 'setups_by_day', 'stations_by_setup'])
      await runner.query(`DROP INDEX ${index}`);
    for (const parent of by(0)) await runner.query(`DROP TRIGGER refuse_removal ON ${parent}`);
    for (const child of by(2)) await runner.query(`DROP TRIGGER refuse_orphan ON ${child}`);
    await runner.query('DROP FUNCTION refuse_removal()');
    await runner.query('DROP FUNCTION refuse_orphan()');
  }
}
