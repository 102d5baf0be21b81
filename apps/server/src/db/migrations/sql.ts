/** Pieces that every migration shares. */
export const owned = `
  id uuid PRIMARY KEY,
  production_id uuid NOT NULL REFERENCES productions(id) ON DELETE CASCADE,
  created_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (production_id, id)`;
export const versioned = `version integer NOT NULL DEFAULT 1, updated_at timestamptz NOT NULL DEFAULT now()`;
/** A reference that cannot leave the production. */
export const ref = (column: string, target: string) =>
  `${column} uuid NOT NULL, FOREIGN KEY (production_id, ${column}) REFERENCES ${target}(production_id, id) ON DELETE CASCADE`;
/** The same for one that may be empty; it is emptied when its target goes. */
export const maybeRef = (column: string, target: string) =>
  `${column} uuid, FOREIGN KEY (production_id, ${column}) REFERENCES ${target}(production_id, id) ON DELETE SET NULL (${column})`;
