/** Null for a file that is gone; every other fault is one. Others tidy the same folders at the same time. */
export async function orGone<T>(look: Promise<T>): Promise<T | null> {
  return look.catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return null;
    throw error;
  });
}
