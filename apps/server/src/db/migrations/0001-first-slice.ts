import type { MigrationInterface, QueryRunner } from 'typeorm';
import { owned, ref, versioned } from './sql';

const UP = [
  `CREATE TABLE productions (
    id uuid PRIMARY KEY, code text NOT NULL UNIQUE, title text NOT NULL, working_space text NOT NULL CHECK (working_space IN ('rec709', 'acescg')),
    created_at timestamptz NOT NULL DEFAULT now(), ${versioned})`,
  `CREATE TABLE locations (${owned}, ${versioned}, name text NOT NULL, zone text NOT NULL,
    latitude_deg float8 NOT NULL CHECK (latitude_deg BETWEEN -90 AND 90), longitude_deg float8 NOT NULL CHECK (longitude_deg BETWEEN -180 AND 180),
    altitude_m float8 NOT NULL CHECK (altitude_m BETWEEN -500 AND 9000))`,
  `CREATE TABLE shoot_days (${owned}, ${versioned}, ${ref('location_id', 'locations')}, number integer NOT NULL, date date NOT NULL, unit text NOT NULL,
    call_local text NOT NULL, wrap_local text NOT NULL)`,
  `CREATE TABLE setups (${owned}, ${versioned}, ${ref('day_id', 'shoot_days')}, name text NOT NULL, slate text NOT NULL,
    kind text NOT NULL CHECK (kind IN ('exterior', 'interior')), light_condition text NOT NULL, planned_cg text NOT NULL, light_at timestamptz)`,
  `CREATE TABLE camera_bodies (${owned}, ${versioned}, name text NOT NULL, base_ei integer NOT NULL, formats jsonb NOT NULL)`,
  `CREATE TABLE lenses (${owned}, ${versioned}, name text NOT NULL, focal_min_mm float8 NOT NULL CHECK (focal_min_mm > 0), focal_max_mm float8 NOT NULL CHECK (focal_max_mm >= focal_min_mm),
    t_min float8 NOT NULL CHECK (t_min > 0), t_max float8 NOT NULL CHECK (t_max >= t_min), close_focus_m float8 NOT NULL)`,
  `CREATE TABLE takes (${owned}, ${versioned}, ${ref('setup_id', 'setups')}, ${ref('body_id', 'camera_bodies')}, ${ref('lens_id', 'lenses')},
    slate text NOT NULL, take integer NOT NULL CHECK (take >= 1), camera text NOT NULL, status text NOT NULL, format_name text NOT NULL,
    focal_length_mm float8 NOT NULL CHECK (focal_length_mm > 0), t_stop float8 NOT NULL CHECK (t_stop > 0), ei integer NOT NULL CHECK (ei > 0),
    shutter_angle_deg float8 NOT NULL CHECK (shutter_angle_deg > 0 AND shutter_angle_deg <= 360), fps float8 NOT NULL CHECK (fps > 0), white_balance_k float8 NOT NULL,
    nd_stops float8 NOT NULL CHECK (nd_stops >= 0), height_m float8 NOT NULL, tilt_deg float8 NOT NULL CHECK (tilt_deg BETWEEN -90 AND 90), heading_deg float8 NOT NULL,
    focus_m float8, east_m float8 NOT NULL, north_m float8 NOT NULL, shot_at timestamptz NOT NULL, notes text NOT NULL,
    UNIQUE (setup_id, slate, take, camera))`,
  `CREATE INDEX takes_by_setup ON takes (production_id, setup_id, shot_at DESC, id)`,
  `CREATE TABLE stations (${owned}, ${versioned}, ${ref('setup_id', 'setups')}, name text NOT NULL, east_m float8 NOT NULL, north_m float8 NOT NULL, height_m float8 NOT NULL)`,
  `CREATE TABLE rounds (${owned}, ${versioned}, ${ref('station_id', 'stations')}, name text NOT NULL, light_condition text NOT NULL, shot_at timestamptz NOT NULL, rig jsonb NOT NULL)`,
  `CREATE TABLE frames (${owned}, ${ref('round_id', 'rounds')}, name text NOT NULL, hash text NOT NULL, width_px integer NOT NULL, height_px integer NOT NULL, bits integer NOT NULL,
    shutter_s float8 NOT NULL CHECK (shutter_s > 0), f_number float8, iso float8, exposure float8 NOT NULL CHECK (exposure > 0), taken_at timestamptz, UNIQUE (round_id, hash))`,
  `CREATE TABLE panoramas (${owned}, ${versioned}, ${ref('round_id', 'rounds')}, number integer NOT NULL, width_px integer NOT NULL, height_px integer NOT NULL,
    exr_hash text NOT NULL, float_hash text NOT NULL, preview_hash text NOT NULL, dynamic_range_stops float8 NOT NULL, clipped_sr float8 NOT NULL, uncovered_sr float8 NOT NULL,
    seam_stops float8, illuminance_horizontal float8 NOT NULL, mean_luminance float8 NOT NULL, frames_per_view integer NOT NULL, histogram jsonb NOT NULL, sun jsonb,
    warnings jsonb NOT NULL, log jsonb NOT NULL, build_seconds float8 NOT NULL, UNIQUE (round_id, number))`,
  `CREATE TABLE calibrations (${owned}, ${versioned}, ${ref('panorama_id', 'panoramas')}, number integer NOT NULL, north jsonb, gain jsonb, UNIQUE (panorama_id, number))`,
  `CREATE TABLE plates (${owned}, ${versioned}, ${ref('take_id', 'takes')}, name text NOT NULL, hash text NOT NULL, preview_hash text NOT NULL, width_px integer NOT NULL,
    height_px integer NOT NULL, bits integer NOT NULL, exposure float8 NOT NULL CHECK (exposure > 0), exposure_source text NOT NULL)`,
  `CREATE TABLE handoffs (${owned}, ${versioned}, ${ref('setup_id', 'setups')}, ${ref('panorama_id', 'panoramas')}, ${ref('take_id', 'takes')}, number integer NOT NULL,
    file_name text NOT NULL, size_bytes bigint NOT NULL, hash text NOT NULL, files jsonb NOT NULL, missing jsonb NOT NULL, UNIQUE (setup_id, number))`,
  `CREATE TABLE jobs (${owned}, kind text NOT NULL, subject_id uuid NOT NULL, state text NOT NULL, stage text NOT NULL, progress float8 NOT NULL, log jsonb NOT NULL, error jsonb,
    result_id uuid, finished_at timestamptz, input jsonb NOT NULL, heartbeat_at timestamptz, cancel_requested boolean NOT NULL DEFAULT false)`,
  `CREATE INDEX jobs_by_subject ON jobs (production_id, subject_id, created_at DESC)`,
  `CREATE TABLE idempotency_keys (production_id uuid NOT NULL REFERENCES productions(id) ON DELETE CASCADE, key text NOT NULL, request_hash text NOT NULL, status integer NOT NULL,
    body jsonb NOT NULL, created_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (production_id, key))`,
];

const TABLES = [
  'idempotency_keys',
  'jobs',
  'handoffs',
  'plates',
  'calibrations',
  'panoramas',
  'frames',
  'rounds',
  'stations',
  'takes',
  'lenses',
  'camera_bodies',
  'setups',
  'shoot_days',
  'locations',
  'productions',
];

/** Productions, days, setups, kit, takes, rounds, panoramas, calibrations, plates, handoffs and jobs. */
export class FirstSlice1700000000001 implements MigrationInterface {
  name = 'FirstSlice1700000000001';

  async up(runner: QueryRunner): Promise<void> {
    for (const sql of UP) await runner.query(sql);
  }

  async down(runner: QueryRunner): Promise<void> {
    for (const name of TABLES) await runner.query(`DROP TABLE ${name}`);
  }
}
