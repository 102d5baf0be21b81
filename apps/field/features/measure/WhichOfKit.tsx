import { useState } from 'react';
import type { ReferenceObject } from '@tawny/contract';
import { useObjects } from '../../data/queries';
import { Choice } from '../../ui/Choice';

/** Of several of a kind in the kit, which one was photographed: its reflectance ties a meter, and tells what a surface throws back. */
export function useWhichOfKit(kind: ReferenceObject['kind'] | null) {
  const held = (useObjects().data ?? []).filter((o) => o.kind === kind);
  const [named, choose] = useState<string | null>(null);
  return {
    held,
    choose,
    /** Null: the only one there is, or not said. */
    id: held.length > 1 ? (held.find((o) => o.id === named)?.id ?? null) : null,
  };
}

/** Asks only where there are several. */
export function WhichOfKit({ held, id, choose }: ReturnType<typeof useWhichOfKit>) {
  if (held.length < 2) return null;
  return (
    <Choice
      label="Which of the kit's"
      options={held.map((o) => ({ value: o.id, title: o.name }))}
      value={id ?? ''}
      onChange={choose}
    />
  );
}
