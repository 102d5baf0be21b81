import type { TakeInput } from '@tawny/contract';

/** Drafts of takes live in the browser until the server has them: a reload or a dead battery loses nothing. */
const key = (setupId: string) => `tawny.take-draft.${setupId}`;

export function loadDraft(setupId: string): TakeInput | null {
  const kept = localStorage.getItem(key(setupId));
  return kept ? (JSON.parse(kept) as TakeInput) : null;
}

export function saveDraft(setupId: string, draft: TakeInput): void {
  localStorage.setItem(key(setupId), JSON.stringify(draft));
}

export function clearDraft(setupId: string): void {
  localStorage.removeItem(key(setupId));
}
