import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Tables whose rows results may rest on. */
const FACT_TABLES = [
  'locations', 'shoot_days', 'setups', 'camera_clocks', 'camera_bodies', 'lenses', 'panorama_rigs', 'filters', 'instruments',
  'reference_objects', 'takes', 'readings', 'set_references', 'lamp_records', 'stations', 'rounds', 'panoramas', 'calibrations', 'plates',
]; // prettier-ignore

const UP = [
  `CREATE TABLE used_facts (
    production_id uuid NOT NULL REFERENCES productions(id) ON DELETE CASCADE,
    result_kind text NOT NULL, result_id uuid NOT NULL, name text NOT NULL,
    fact_kind text NOT NULL, fact_id uuid NOT NULL, fact_version integer, fields jsonb NOT NULL,
    provenance text NOT NULL CHECK (provenance IN ('measured', 'logged', 'fromFile', 'predicted', 'assumed')),
    source text NOT NULL, uncertainty float8, unit text NOT NULL DEFAULT '', at timestamptz, changed jsonb,
    PRIMARY KEY (result_kind, result_id, name))`,
  `CREATE INDEX used_facts_by_fact ON used_facts (fact_kind, fact_id)`,
  `CREATE INDEX used_facts_changed ON used_facts (production_id) WHERE changed IS NOT NULL`,
  // Values of a row's columns as JSON, times always in UTC; NULL for a row that is gone or removed.
  `CREATE FUNCTION fact_values(kind text, id uuid, columns text[]) RETURNS jsonb LANGUAGE plpgsql STABLE SET timezone = 'UTC' AS $$
    DECLARE row jsonb;
    BEGIN
      EXECUTE format('SELECT to_jsonb(t) FROM %I t WHERE t.id = $1 AND t.removed_at IS NULL', kind) INTO row USING id;
      RETURN (SELECT jsonb_object_agg(c, row -> c) FROM unnest(columns) c WHERE row IS NOT NULL);
    END $$`,
  // What differs from what was used: NULL when nothing does.
  `CREATE FUNCTION fact_change(used jsonb, now jsonb) RETURNS jsonb LANGUAGE sql IMMUTABLE AS $$
    SELECT CASE WHEN now IS NULL THEN '{"removed": true}'::jsonb
      ELSE (SELECT jsonb_object_agg(k, now -> k) FROM jsonb_object_keys(used) k WHERE used -> k IS DISTINCT FROM now -> k) END $$`,
  // A fact that changed between its use and its being recorded counts as changed, too.
  `CREATE FUNCTION note_use() RETURNS trigger LANGUAGE plpgsql AS $$
    BEGIN
      NEW.changed := fact_change(NEW.fields, fact_values(NEW.fact_kind, NEW.fact_id, ARRAY(SELECT jsonb_object_keys(NEW.fields))));
      RETURN NEW;
    END $$`,
  `CREATE TRIGGER note_use BEFORE INSERT ON used_facts FOR EACH ROW EXECUTE FUNCTION note_use()`,
  // The one place where results become stale, whoever changes a fact and by whatever way; a change that is taken back is no change.
  `CREATE FUNCTION note_change() RETURNS trigger LANGUAGE plpgsql AS $$
    BEGIN
      UPDATE used_facts u SET changed = fact_change(u.fields, fact_values(u.fact_kind, u.fact_id, ARRAY(SELECT jsonb_object_keys(u.fields))))
        WHERE u.fact_kind = TG_TABLE_NAME AND u.fact_id = coalesce(NEW.id, OLD.id);
      RETURN NULL;
    END $$`,
  ...FACT_TABLES.map(
    (t) => `CREATE TRIGGER note_change AFTER UPDATE OR DELETE ON ${t} FOR EACH ROW EXECUTE FUNCTION note_change()`,
  ),
  // Results that rest on a changed fact, or on a result that does, with the fact.
  `CREATE VIEW stale_results AS
    WITH RECURSIVE stale AS (
      SELECT production_id, result_kind, result_id, name, changed FROM used_facts WHERE changed IS NOT NULL
      UNION
      SELECT f.production_id, f.result_kind, f.result_id, s.name, s.changed FROM used_facts f
        JOIN stale s ON f.fact_kind = s.result_kind AND f.fact_id = s.result_id)
    SELECT * FROM stale`,
  // Calibrations become sources and what was adopted.
  `ALTER TABLE calibrations ADD COLUMN orientation jsonb, ADD COLUMN scale jsonb, ADD COLUMN colour jsonb`,
  `UPDATE calibrations SET orientation = jsonb_build_object(
      'adopted', jsonb_build_object('value', north->'yawDeg', 'uncertainty', north->'uncertaintyDeg',
        'provenance', jsonb_build_object('kind', 'measured', 'source', 'sun', 'at', north->'utc')),
      'verdict', CASE WHEN (north->>'agrees')::boolean THEN 'agrees' ELSE 'disagrees' END,
      'rotation', jsonb_build_array(0, -sin(radians((north->>'yawDeg')::float8) / 2), 0, cos(radians((north->>'yawDeg')::float8) / 2)),
      'frame', 'trueNorth',
      'sources', jsonb_build_array(jsonb_build_object('name', 'Sun in the picture', 'value', north->'yawDeg', 'uncertainty', north->'uncertaintyDeg',
        'residual', 0, 'weight', 1, 'outlier', false, 'cause', NULL,
        'provenance', jsonb_build_object('kind', 'measured', 'source', 'sun', 'at', north->'utc'))),
      'sun', north - 'yawDeg' - 'uncertaintyDeg' - 'agrees')
    WHERE north IS NOT NULL`,
  `UPDATE calibrations SET scale = jsonb_build_object(
      'adopted', jsonb_build_object('value', gain->'cardStops', 'uncertainty', gain->'cardUncertaintyStops',
        'provenance', jsonb_build_object('kind', 'measured', 'source', 'grey card', 'at', NULL)),
      'verdict', CASE WHEN (gain->>'agrees')::boolean THEN 'agrees' ELSE 'disagrees' END,
      'sources', jsonb_build_array(
        jsonb_build_object('name', 'Grey card', 'value', gain->'cardStops', 'uncertainty', gain->'cardUncertaintyStops', 'residual', 0, 'weight', 1,
          'outlier', false, 'cause', NULL, 'provenance', jsonb_build_object('kind', 'measured', 'source', 'grey card', 'at', NULL)),
        jsonb_build_object('name', 'Metadata', 'value', gain->'metadataStops', 'uncertainty', gain->'metadataUncertaintyStops',
          'residual', to_jsonb(-(gain->>'disagreementStops')::float8), 'weight', 0, 'outlier', false, 'cause', NULL,
          'provenance', jsonb_build_object('kind', 'predicted', 'source', 'exposure of plate and rig', 'at', NULL))),
      'card', jsonb_build_object('plateId', gain->'plateId', 'channelStops', gain->'channelStops', 'plateRect', gain->'plateRect', 'panoramaRect', gain->'panoramaRect'))
    WHERE gain IS NOT NULL`,
  // What today's results rest on. Times of rounds were planned, not read from files; integer pictures were decoded by their depth.
  `INSERT INTO used_facts (production_id, result_kind, result_id, name, fact_kind, fact_id, fact_version, fields, provenance, source)
    SELECT p.production_id, 'panoramas', p.id, 'rig', 'rounds', r.id, r.version, fact_values('rounds', r.id, ARRAY['rig', 'manual_views']), 'assumed', 'as the round was started'
    FROM panoramas p JOIN rounds r ON r.id = p.round_id WHERE r.removed_at IS NULL AND NOT p.options ? 'from'`,
  `INSERT INTO used_facts (production_id, result_kind, result_id, name, fact_kind, fact_id, fact_version, fields, provenance, source, uncertainty, unit, at)
    SELECT c.production_id, 'calibrations', c.id, 'time of the round', 'rounds', r.id, r.version,
      jsonb_build_object('shot_at', fact_values('rounds', r.id, ARRAY['shot_at'])->'shot_at'), 'assumed', 'planned light time', 10, 's', (c.north->>'utc')::timestamptz
    FROM calibrations c JOIN panoramas p ON p.id = c.panorama_id JOIN rounds r ON r.id = p.round_id WHERE c.north IS NOT NULL AND r.removed_at IS NULL`,
  `UPDATE used_facts SET changed = fields WHERE name = 'time of the round' AND (fields->>'shot_at')::timestamptz IS DISTINCT FROM at`,
  `INSERT INTO used_facts (production_id, result_kind, result_id, name, fact_kind, fact_id, fact_version, fields, provenance, source)
    SELECT c.production_id, 'calibrations', c.id, 'panorama', 'panoramas', p.id, p.version, fact_values('panoramas', p.id, ARRAY['sun', 'level_deg']), 'measured', 'the panorama itself'
    FROM calibrations c JOIN panoramas p ON p.id = c.panorama_id WHERE p.removed_at IS NULL`,
  `INSERT INTO used_facts (production_id, result_kind, result_id, name, fact_kind, fact_id, fact_version, fields, provenance, source)
    SELECT c.production_id, 'calibrations', c.id, 'decoding of the plate', 'plates', p.id, p.version, fact_values('plates', p.id, ARRAY['bits']),
      CASE WHEN p.bits = 32 THEN 'fromFile' ELSE 'assumed' END,
      CASE p.bits WHEN 8 THEN '8 bits taken as sRGB' WHEN 16 THEN '16 bits taken as linear' ELSE 'floats are linear' END
    FROM calibrations c JOIN plates p ON p.id = (c.gain->>'plateId')::uuid WHERE c.gain IS NOT NULL AND p.removed_at IS NULL`,
  `INSERT INTO used_facts (production_id, result_kind, result_id, name, fact_kind, fact_id, fact_version, fields, provenance, source)
    SELECT h.production_id, 'handoffs', h.id, 'panorama', 'panoramas', p.id, p.version, fact_values('panoramas', p.id, ARRAY['exr_hash']), 'measured', 'the panorama itself'
    FROM handoffs h JOIN panoramas p ON p.id = h.panorama_id WHERE p.removed_at IS NULL`,
  `ALTER TABLE calibrations DROP COLUMN north, DROP COLUMN gain`,
  // What a plate's file states is kept apart from what the log states, so that a corrected log is heard.
  `ALTER TABLE plates ADD COLUMN shutter_s float8, ADD COLUMN iso float8`,
];

/** Results keep the facts that they were made of, and become stale when one of those changes; calibrations are sources and what was adopted. */
export class Facts1700000000009 implements MigrationInterface {
  name = 'Facts1700000000009';

  async up(runner: QueryRunner): Promise<void> {
    for (const sql of UP) await runner.query(sql);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE plates DROP COLUMN shutter_s, DROP COLUMN iso');
    await runner.query('ALTER TABLE calibrations ADD COLUMN north jsonb, ADD COLUMN gain jsonb');
    await runner.query(`UPDATE calibrations SET
      north = orientation->'sun' || jsonb_build_object('yawDeg', orientation#>'{adopted,value}', 'uncertaintyDeg', orientation#>'{adopted,uncertainty}', 'agrees', orientation->>'verdict' = 'agrees'),
      gain = scale->'card' || jsonb_build_object('cardStops', scale#>'{sources,0,value}', 'cardUncertaintyStops', scale#>'{sources,0,uncertainty}',
        'metadataStops', scale#>'{sources,1,value}', 'metadataUncertaintyStops', scale#>'{sources,1,uncertainty}',
        'disagreementStops', (scale#>>'{sources,0,value}')::float8 - (scale#>>'{sources,1,value}')::float8, 'agrees', scale->>'verdict' = 'agrees')`);
    await runner.query('ALTER TABLE calibrations DROP COLUMN orientation, DROP COLUMN scale, DROP COLUMN colour');
    for (const t of FACT_TABLES) await runner.query(`DROP TRIGGER note_change ON ${t}`);
    await runner.query('DROP VIEW stale_results');
    await runner.query('DROP TABLE used_facts');
    for (const f of ['note_change()', 'note_use()', 'fact_change(jsonb, jsonb)', 'fact_values(text, uuid, text[])'])
      await runner.query(`DROP FUNCTION ${f}`);
  }
}
