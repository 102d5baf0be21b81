import type { Queries } from '../db/dataSource';
import { NAMED_TAKES, type GapTake, type RoundFacts } from './gapRules';

const TAKE_COLUMNS = `id, setup_id, slate, take, camera, light_condition, shot_at, height_m, tilt_deg, lens_id, focal_length_mm, focal_measured`;

/** Takes of one setup that are there. */
const HERE = 't.production_id = $1 AND t.setup_id = s.id AND t.removed_at IS NULL';

/** The values that a column has among a setup's takes, found by going from each to the next in the index: as many steps as values. */
const valuesOf = (column: string) => `
  WITH RECURSIVE next AS (
    (SELECT t.${column} AS value FROM takes t WHERE ${HERE} ORDER BY t.${column} LIMIT 1)
    UNION ALL SELECT (SELECT t.${column} FROM takes t WHERE ${HERE} AND t.${column} > next.value ORDER BY t.${column} LIMIT 1)
      FROM next WHERE next.value IS NOT NULL)
  SELECT value FROM next WHERE value IS NOT NULL`;

const take = (condition: string, order: string, most: number) =>
  `(SELECT ${TAKE_COLUMNS} FROM takes t WHERE ${HERE} AND ${condition} ORDER BY ${order} LIMIT ${most})`;

/**
 * The takes of a production that can decide a rule, however many there are: of every setup the newest in each light
 * condition, one for each lens, and the first few that lack something. Every part is read off an index (migrations 0010, 0011).
 */
const DECIDING_TAKES = `
  SELECT DISTINCT found.* FROM setups s CROSS JOIN LATERAL (
    SELECT newest.* FROM (${valuesOf('light_condition')}) light
      CROSS JOIN LATERAL ${take('t.light_condition = light.value', 't.shot_at DESC, t.id', 1)} newest
    UNION ALL SELECT one.* FROM (${valuesOf('lens_id')}) lens
      CROSS JOIN LATERAL ${take('t.lens_id = lens.value', 't.shot_at, t.id', 1)} one
    UNION ALL ${take('(t.height_m IS NULL OR t.tilt_deg IS NULL)', 't.shot_at, t.id', NAMED_TAKES)}
    UNION ALL SELECT read_off.* FROM lenses l
      CROSS JOIN LATERAL ${take('t.lens_id = l.id AND NOT t.focal_measured', 't.shot_at, t.id', NAMED_TAKES)} read_off
      WHERE l.production_id = $1 AND l.kind = 'zoom' AND l.removed_at IS NULL) found
  WHERE s.production_id = $1 AND s.removed_at IS NULL
  ORDER BY shot_at, id`;

interface TakeRow {
  id: string;
  setup_id: string;
  slate: string;
  take: number;
  camera: string;
  light_condition: string;
  shot_at: Date;
  height_m: number | null;
  tilt_deg: number | null;
  lens_id: string;
  focal_length_mm: number;
  focal_measured: boolean;
}

/** Takes by setup, as far as they can decide a rule. */
export async function decidingTakes(db: Queries, productionId: string): Promise<(GapTake & { setupId: string })[]> {
  const rows: TakeRow[] = await db.query(DECIDING_TAKES, [productionId]);
  return rows.map((r) => ({
    id: r.id,
    setupId: r.setup_id,
    slate: r.slate,
    take: r.take,
    camera: r.camera,
    lightCondition: r.light_condition,
    shotAt: r.shot_at.toISOString(),
    heightM: r.height_m,
    tiltDeg: r.tilt_deg,
    lensId: r.lens_id,
    focalLengthMm: r.focal_length_mm,
    focalMeasured: r.focal_measured,
  }));
}

/** Every round with its newest panorama, that one's newest calibration, and what of them is stale. */
const ROUNDS = `
  WITH stale AS (
    SELECT result_id, array_agg(DISTINCT name ORDER BY name) AS names FROM stale_results WHERE production_id = $1 GROUP BY result_id),
  panorama AS (
    SELECT DISTINCT ON (round_id) round_id, id, sun, frames_per_view FROM panoramas
    WHERE production_id = $1 AND removed_at IS NULL ORDER BY round_id, number DESC),
  calibration AS (
    SELECT DISTINCT ON (panorama_id) panorama_id, id, (orientation->>'frame' = 'trueNorth') IS TRUE AS north, scale IS NOT NULL AS gain FROM calibrations
    WHERE production_id = $1 AND removed_at IS NULL ORDER BY panorama_id, number DESC),
  counted AS (SELECT round_id, count(*)::integer AS frames FROM frames WHERE production_id = $1 GROUP BY round_id)
  SELECT s.setup_id, r.id, r.name, r.light_condition, r.shot_at, coalesce(counted.frames, 0) AS frames,
    p.id AS panorama_id, p.frames_per_view, jsonb_typeof(p.sun) = 'object' AS sun, (p.sun->>'clipped')::boolean AS clipped,
    coalesce(c.north, false) OR r.north_unknown AS north, coalesce(c.gain, false) AS gain,
    coalesce(sp.names, '{}') AS stale_panorama, coalesce(sc.names, '{}') AS stale_calibration
  FROM rounds r JOIN stations s ON s.id = r.station_id AND s.removed_at IS NULL
    LEFT JOIN counted ON counted.round_id = r.id
    LEFT JOIN panorama p ON p.round_id = r.id
    LEFT JOIN calibration c ON c.panorama_id = p.id
    LEFT JOIN stale sp ON sp.result_id = p.id
    LEFT JOIN stale sc ON sc.result_id = c.id
  WHERE r.production_id = $1 AND r.removed_at IS NULL ORDER BY r.shot_at, r.id`;

interface RoundRow {
  setup_id: string;
  id: string;
  name: string;
  light_condition: string;
  shot_at: Date;
  frames: number;
  panorama_id: string | null;
  frames_per_view: number;
  sun: boolean | null;
  clipped: boolean | null;
  north: boolean;
  gain: boolean;
  stale_panorama: string[];
  stale_calibration: string[];
}

/** Rounds by setup, oldest first, with what became of them. */
export async function roundFacts(db: Queries, productionId: string): Promise<(RoundFacts & { setupId: string })[]> {
  const rows: RoundRow[] = await db.query(ROUNDS, [productionId]);
  return rows.map((r) => ({
    setupId: r.setup_id,
    round: { id: r.id, name: r.name, lightCondition: r.light_condition, shotAt: r.shot_at.toISOString() },
    frames: r.frames,
    panorama: r.panorama_id
      ? {
          id: r.panorama_id,
          sun: r.sun ? { clipped: Boolean(r.clipped) } : null,
          framesPerView: r.frames_per_view,
        }
      : null,
    north: r.north,
    gain: r.gain,
    stale: { panorama: r.stale_panorama, calibration: r.stale_calibration },
  }));
}
