/** What is made when it is first asked for: a table that most processes never look into costs them nothing. */
export function lazily<T>(make: () => T): () => T {
  let made: { value: T } | null = null;
  return () => (made ??= { value: make() }).value;
}
