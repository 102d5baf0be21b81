import type { Queries } from '../db/dataSource';
import { NAMED_TAKES, type GapTake, type RoundFacts } from './gapRules';

const TAKE_COLUMNS = `id, setup_id, slate, take, camera, light_condition, shot_at, height_m, tilt_deg, lens_id, focal_length_mm, focal_measured`;

/**
 * The takes of a production that can decide a rule, however many there are: of every setup the newest in each light
 * condition, one for each lens, and the first few that lack something.
 */
const DECIDING_TAKES = `
  WITH mine AS (SELECT ${TAKE_COLUMNS} FROM takes WHERE production_id = $1 AND removed_at IS NULL),
  lacking AS (
    SELECT mine.*, row_number() OVER (PARTITION BY setup_id, lack ORDER BY shot_at, mine.id) AS place FROM mine
    LEFT JOIN lenses l ON l.id = lens_id AND l.kind = 'zoom' AND l.removed_at IS NULL
    CROSS JOIN LATERAL (
      SELECT 'place' AS lack WHERE height_m IS NULL OR tilt_deg IS NULL
      UNION ALL SELECT 'focal' WHERE NOT focal_measured AND l.id IS NOT NULL) lacks)
  (SELECT newest.* FROM (SELECT DISTINCT setup_id, light_condition FROM mine) light CROSS JOIN LATERAL (
    SELECT ${TAKE_COLUMNS} FROM takes t WHERE t.production_id = $1 AND t.setup_id = light.setup_id AND t.light_condition = light.light_condition
      AND t.removed_at IS NULL ORDER BY shot_at DESC, id LIMIT 1) newest)
  UNION (SELECT ${TAKE_COLUMNS} FROM mine WHERE id IN (SELECT min(id::text COLLATE "C")::uuid FROM mine GROUP BY setup_id, lens_id))
  UNION (SELECT ${TAKE_COLUMNS} FROM lacking WHERE place <= ${NAMED_TAKES})
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
    SELECT DISTINCT ON (panorama_id) panorama_id, id, orientation IS NOT NULL AS north, scale IS NOT NULL AS gain FROM calibrations
    WHERE production_id = $1 AND removed_at IS NULL ORDER BY panorama_id, number DESC),
  counted AS (SELECT round_id, count(*)::integer AS frames FROM frames WHERE production_id = $1 GROUP BY round_id)
  SELECT s.setup_id, r.id, r.name, r.light_condition, r.shot_at, coalesce(counted.frames, 0) AS frames,
    p.id IS NOT NULL AS built, p.frames_per_view, jsonb_typeof(p.sun) = 'object' AS sun, (p.sun->>'clipped')::boolean AS clipped,
    coalesce(c.north, false) AS north, coalesce(c.gain, false) AS gain,
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
  built: boolean;
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
    panorama: r.built
      ? { sun: r.sun ? { clipped: Boolean(r.clipped) } : null, framesPerView: r.frames_per_view }
      : null,
    north: r.north,
    gain: r.gain,
    stale: { panorama: r.stale_panorama, calibration: r.stale_calibration },
  }));
}
