import { useCallback, useState } from 'react';

const fresh = (of: string) => ({ of, id: crypto.randomUUID() as string });

/**
 * The id of a record that is begun here: the same at every press until it is kept and renewed, so that a lost answer does not make two.
 * @param of what is asked for: another one is another record
 */
export function useNewId(of = ''): [id: string, renew: () => void] {
  const [begun, setBegun] = useState(() => fresh(of));
  const now = begun.of === of ? begun : fresh(of);
  if (now !== begun) setBegun(now);
  return [now.id, useCallback(() => setBegun(fresh(of)), [of])];
}
