import type { EntitySchema } from 'typeorm';
import type { Basis } from '@tawny/contract';
import type { Provenance } from '@tawny/core';
import type { Queries } from '../db/dataSource';
import { columnName, type Owned } from '../db/entities';
import { ApiProblem } from '../problems';

/** Kinds of results, by their tables. */
export type ResultKind = 'panoramas' | 'calibrations' | 'handoffs' | 'plate_cameras';

/** A fact as a computation used it. */
export interface UsedFact {
  name: string;
  factKind: string;
  factId: string;
  factVersion: number;
  /** Values of the columns that mattered. */
  fields: Record<string, unknown>;
  provenance: Provenance;
  /** 95 % half width, null when unknown. */
  uncertainty: number | null;
  unit: string;
}

/**
 * Takes down that a computation uses some fields of a record, with the values that they have. Only what is named here makes
 * the result stale when it changes: a note on a take does not.
 * @throws ApiProblem when the record was changed since it was read
 */
export async function useFact<T extends { id: string; version: number }>(
  db: Queries,
  entity: EntitySchema<Owned<T>>,
  record: T,
  fields: readonly (keyof T & string)[],
  how: { name: string; provenance: Provenance; uncertainty?: number | null; unit?: string },
): Promise<UsedFact> {
  const { tableName } = entity.options;
  const [seen]: { version: number; fields: Record<string, unknown> }[] = await db.query(
    `SELECT version, fact_values($1, $2, $3) AS fields FROM ${tableName} WHERE id = $2`,
    [tableName, record.id, fields.map(columnName)],
  );
  if (!seen?.fields || seen.version !== record.version)
    throw new ApiProblem(409, 'changed-meanwhile', `What this rests on (${how.name}) was changed meanwhile: try again`);
  return {
    name: how.name,
    factKind: tableName!,
    factId: record.id,
    factVersion: record.version,
    fields: seen.fields,
    provenance: how.provenance,
    uncertainty: how.uncertainty ?? null,
    unit: how.unit ?? '',
  };
}

/** Records what a result rests on, in the transaction that records the result. */
export async function recordFacts(
  tx: Queries,
  productionId: string,
  kind: ResultKind,
  resultId: string,
  facts: readonly UsedFact[],
): Promise<void> {
  for (const f of facts) {
    await tx.query(
      `INSERT INTO used_facts (production_id, result_kind, result_id, name, fact_kind, fact_id, fact_version, fields, provenance, source, uncertainty, unit, at)
       VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)`,
      [
        productionId, kind, resultId, f.name, f.factKind, f.factId, f.factVersion, JSON.stringify(f.fields),
        f.provenance.kind, f.provenance.source, f.uncertainty, f.unit, f.provenance.at,
      ], // prettier-ignore
    );
  }
}

/** Facts of an older result that a new one takes over as they are: all but some, or only some; names, or patterns with %. */
export async function inheritFacts(
  tx: Queries,
  kind: ResultKind,
  from: string,
  to: string,
  which: { except: readonly string[] } | { only: readonly string[] },
): Promise<void> {
  const only = 'only' in which;
  await tx.query(
    `INSERT INTO used_facts SELECT production_id, result_kind, $3, name, fact_kind, fact_id, fact_version, fields, provenance, source, uncertainty, unit, at, NULL
     FROM used_facts WHERE result_kind = $1 AND result_id = $2 AND (name LIKE ANY($4)) = $5`,
    [kind, from, to, only ? which.only : which.except, only],
  );
}

interface FactRow {
  result_id: string;
  name: string;
  provenance: Basis['facts'][number]['kind'];
  source: string;
  uncertainty: number | null;
  unit: string;
}

/** What results rest on, and which of that has changed since; one look for a whole list. */
export async function basisOf(db: Queries, kind: ResultKind, ids: readonly string[]): Promise<Map<string, Basis>> {
  const out = new Map<string, Basis>(ids.map((id) => [id, { facts: [], changed: [] }]));
  if (ids.length === 0) return out;
  const facts: FactRow[] = await db.query(
    'SELECT result_id, name, provenance, source, uncertainty, unit FROM used_facts WHERE result_kind = $1 AND result_id = ANY($2) ORDER BY name',
    [kind, ids],
  );
  for (const f of facts) {
    const { name, provenance, source, uncertainty, unit } = f;
    out.get(f.result_id)!.facts.push({ name, kind: provenance, source, uncertainty, unit });
  }
  const stale: { result_id: string; name: string }[] = await db.query(
    'SELECT DISTINCT result_id, name FROM stale_results WHERE result_kind = $1 AND result_id = ANY($2) ORDER BY name',
    [kind, ids],
  );
  for (const s of stale) out.get(s.result_id)!.changed.push(s.name);
  return out;
}

export const basisOfOne = async (db: Queries, kind: ResultKind, id: string): Promise<Basis> =>
  (await basisOf(db, kind, [id])).get(id)!;
