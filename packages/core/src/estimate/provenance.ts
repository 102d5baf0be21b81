/** Where a fact comes from, weakest last. CONVENTIONS.md section 7. */
export const PROVENANCE_KINDS = ['measured', 'logged', 'fromFile', 'predicted', 'assumed'] as const;
export type ProvenanceKind = (typeof PROVENANCE_KINDS)[number];

/** The same in the words of screens, files and messages. */
export const PROVENANCE_WORDS: Record<ProvenanceKind, string> = {
  measured: 'measured',
  logged: 'logged',
  fromFile: 'from file',
  predicted: 'predicted',
  assumed: 'assumed',
};

export interface Provenance {
  kind: ProvenanceKind;
  /** What it was taken from, in words: "42 frames", "grey card", "planned light time". */
  source: string;
  /** When, ISO UTC; null when it does not hang on a time. */
  at: string | null;
}

/** A number with its 95 % half width (null when not known, never 0 for that) and where it comes from. */
export interface Measured {
  value: number;
  uncertainty: number | null;
  provenance: Provenance;
}

/** What a result is worth at best: the weakest of the facts that it rests on. */
export function weakest(kinds: readonly ProvenanceKind[]): ProvenanceKind {
  const rank = (kind: ProvenanceKind) => PROVENANCE_KINDS.indexOf(kind);
  return kinds.reduce((worst, kind) => (rank(kind) > rank(worst) ? kind : worst), 'measured' as ProvenanceKind);
}
