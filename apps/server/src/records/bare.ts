/** What leaves the server: everything but the owner and the mark of removal. */
export function bare<T extends { productionId?: string; removedAt?: unknown }>(
  record: T,
): Omit<T, 'productionId' | 'removedAt'> {
  const { productionId: _owner, removedAt: _removed, ...rest } = record;
  return rest;
}
