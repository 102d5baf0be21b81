import type { MigrationInterface, QueryRunner } from 'typeorm';
import { maybeRef, owned, ref, versioned } from './sql';

const live = `${versioned}, removed_at timestamptz`;
const OLD_TABLES = [
  'productions',
  'locations',
  'shoot_days',
  'setups',
  'camera_bodies',
  'lenses',
  'takes',
  'stations',
  'rounds',
  'panoramas',
  'calibrations',
  'plates',
  'handoffs',
];

const UP = [
  ...OLD_TABLES.map((t) => `ALTER TABLE ${t} ADD COLUMN removed_at timestamptz`),
  `ALTER TABLE locations ADD COLUMN skyline jsonb NOT NULL DEFAULT '[]'`,
  `ALTER TABLE shoot_days ADD COLUMN weather text NOT NULL DEFAULT ''`,
  `ALTER TABLE setups DROP CONSTRAINT setups_kind_check`,
  `ALTER TABLE setups ADD CONSTRAINT setups_kind_check CHECK (kind IN ('exterior', 'interior', 'driving', 'greenScreen'))`,
  `ALTER TABLE setups ADD COLUMN light_conditions jsonb NOT NULL DEFAULT '[]', ADD COLUMN cg_east_m float8, ADD COLUMN cg_north_m float8, ADD COLUMN cg_height_m float8, ADD COLUMN needs jsonb NOT NULL DEFAULT '[]',
    ADD COLUMN drift_limit_deg float8 NOT NULL DEFAULT 2 CHECK (drift_limit_deg > 0), ADD COLUMN age_limit_min float8 NOT NULL DEFAULT 45 CHECK (age_limit_min > 0), ADD COLUMN done boolean NOT NULL DEFAULT false`,
  `CREATE TABLE camera_clocks (${owned}, ${live}, ${ref('day_id', 'shoot_days')}, camera text NOT NULL, offset_s float8 NOT NULL, source text NOT NULL)`,
  `CREATE UNIQUE INDEX camera_clocks_once ON camera_clocks (day_id, camera) WHERE removed_at IS NULL`,
  `ALTER TABLE camera_bodies ADD COLUMN serial text NOT NULL DEFAULT ''`,
  `UPDATE camera_bodies SET formats = (SELECT jsonb_agg(jsonb_build_object('squeeze', 1, 'circleOfConfusionMm', 0.025) || f) FROM jsonb_array_elements(formats) f)`,
  `ALTER TABLE lenses ADD COLUMN serial text NOT NULL DEFAULT '', ADD COLUMN kind text NOT NULL DEFAULT 'prime' CHECK (kind IN ('prime', 'zoom', 'fisheye')), ADD COLUMN squeeze float8 NOT NULL DEFAULT 1 CHECK (squeeze BETWEEN 1 AND 2),
    ADD COLUMN transmission float8 NOT NULL DEFAULT 0.8 CHECK (transmission > 0 AND transmission <= 1), ADD COLUMN projection text NOT NULL DEFAULT 'rectilinear', ADD COLUMN fov_deg float8, ADD COLUMN entrance_pupil jsonb NOT NULL DEFAULT '[]'`,
  `UPDATE lenses SET kind = 'zoom' WHERE focal_max_mm > focal_min_mm`,
  `CREATE TABLE panorama_rigs (${owned}, ${live}, name text NOT NULL, serial text NOT NULL, kind text NOT NULL CHECK (kind IN ('bodyAndLens', 'oneShot')), ${maybeRef('body_id', 'camera_bodies')}, ${maybeRef('lens_id', 'lenses')}, statement jsonb NOT NULL)`,
  `CREATE TABLE filters (${owned}, ${live}, name text NOT NULL, serial text NOT NULL, kind text NOT NULL CHECK (kind IN ('nd', 'polariser', 'diffusion', 'colour')), density float8 NOT NULL CHECK (density >= 0), measured_density jsonb, measured_on date)`,
  `CREATE TABLE instruments (${owned}, ${live}, name text NOT NULL, serial text NOT NULL, kind text NOT NULL, bias float8 NOT NULL, sigma float8 NOT NULL CHECK (sigma > 0), constant float8, receptor text, calibrated_on date)`,
  `CREATE TABLE reference_objects (${owned}, ${live}, name text NOT NULL, serial text NOT NULL, kind text NOT NULL, reflectance float8 CHECK (reflectance > 0 AND reflectance <= 1), diameter_mm float8 CHECK (diameter_mm > 0),
    height_m float8 CHECK (height_m > 0), patches jsonb NOT NULL, measured_on date)`,
  `ALTER TABLE takes ALTER COLUMN height_m DROP NOT NULL, ALTER COLUMN tilt_deg DROP NOT NULL, ALTER COLUMN heading_deg DROP NOT NULL, ADD COLUMN focal_measured boolean NOT NULL DEFAULT false,
    ADD COLUMN heading_north text NOT NULL DEFAULT 'true' CHECK (heading_north IN ('true', 'magnetic')), ADD COLUMN light_condition text NOT NULL DEFAULT '', ADD COLUMN clip text NOT NULL DEFAULT '', ADD COLUMN roll text NOT NULL DEFAULT '',
    ADD COLUMN timecode_in text, ADD COLUMN timecode_out text, ADD COLUMN timecode_rate float8, ADD COLUMN filter_ids jsonb NOT NULL DEFAULT '[]', ADD COLUMN support text NOT NULL DEFAULT 'lockedOff',
    ADD COLUMN flopped boolean NOT NULL DEFAULT false, ADD COLUMN changes jsonb NOT NULL DEFAULT '[]', ADD COLUMN from_file jsonb NOT NULL DEFAULT '{}'`,
  `ALTER TABLE takes DROP CONSTRAINT takes_setup_id_slate_take_camera_key`,
  `CREATE UNIQUE INDEX takes_once ON takes (setup_id, slate, take, camera) WHERE removed_at IS NULL`,
  `CREATE INDEX takes_by_time ON takes (production_id, shot_at DESC, id DESC) WHERE removed_at IS NULL`,
  `CREATE TABLE set_references (${owned}, ${live}, ${ref('setup_id', 'setups')}, ${maybeRef('take_id', 'takes')}, ${maybeRef('lens_id', 'lenses')}, ${maybeRef('object_id', 'reference_objects')}, kind text NOT NULL,
    light_condition text NOT NULL, name text NOT NULL, hash text NOT NULL, preview_hash text NOT NULL, width_px integer NOT NULL, height_px integer NOT NULL, shutter_s float8, f_number float8, iso float8, taken_at timestamptz NOT NULL)`,
  `CREATE INDEX references_by_setup ON set_references (production_id, setup_id)`,
  `CREATE TABLE readings (${owned}, ${live}, ${ref('setup_id', 'setups')}, ${maybeRef('station_id', 'stations')}, ${maybeRef('take_id', 'takes')}, ${maybeRef('reference_id', 'set_references')}, ${maybeRef('instrument_id', 'instruments')},
    kind text NOT NULL, shown float8 NOT NULL, duv float8, receptor text, plane_azimuth_deg float8, plane_elevation_deg float8, light_condition text NOT NULL, taken_at timestamptz NOT NULL, source text NOT NULL, notes text NOT NULL)`,
  `CREATE INDEX readings_by_setup ON readings (production_id, setup_id)`,
  `CREATE TABLE lamp_records (${owned}, ${live}, ${ref('setup_id', 'setups')}, name text NOT NULL, kind text NOT NULL, role text NOT NULL, east_m float8, north_m float8, height_m float8, aim_azimuth_deg float8, aim_elevation_deg float8,
    beam_deg float8, filter text NOT NULL, dimmer_percent float8 NOT NULL CHECK (dimmer_percent BETWEEN 0 AND 100), on_in jsonb NOT NULL, side text)`,
  `CREATE TABLE eye_lines (${owned}, ${live}, ${ref('setup_id', 'setups')}, ${maybeRef('take_id', 'takes')}, who text NOT NULL, eye jsonb NOT NULL, target jsonb NOT NULL, stand_in_height_m float8)`,
  `CREATE TABLE plan_marks (${owned}, ${live}, ${ref('setup_id', 'setups')}, name text NOT NULL, kind text NOT NULL, fixed boolean NOT NULL, east_m float8 NOT NULL, north_m float8 NOT NULL)`,
  `CREATE TABLE plan_measures (${owned}, ${live}, ${ref('setup_id', 'setups')}, ${ref('from_mark_id', 'plan_marks')}, ${ref('to_mark_id', 'plan_marks')}, kind text NOT NULL CHECK (kind IN ('distance', 'bearing')), value float8 NOT NULL, sigma float8 NOT NULL CHECK (sigma > 0))`,
  `CREATE TABLE clips (${owned}, ${live}, ${ref('take_id', 'takes')}, name text NOT NULL, kind text NOT NULL CHECK (kind IN ('video', 'sequence')), hash text, width_px integer NOT NULL, height_px integer NOT NULL, fps float8 NOT NULL,
    frames integer NOT NULL, start_timecode text, strip_frames jsonb NOT NULL)`,
  `CREATE TABLE clip_frames (${owned}, ${ref('clip_id', 'clips')}, number integer NOT NULL, hash text, preview_hash text NOT NULL, UNIQUE (clip_id, number))`,
];

/** Kit beyond bodies and lenses, the notebook of the set, whole takes; records are removed by a mark that can be taken back. */
export class TheLog1700000000002 implements MigrationInterface {
  name = 'TheLog1700000000002';

  async up(runner: QueryRunner): Promise<void> {
    for (const sql of UP) await runner.query(sql);
  }

  async down(): Promise<void> {
    throw new Error(
      'the log cannot be taken out again: takes may hold what the first schema has no room for; restore a backup',
    );
  }
}
