/** What is made of the same facts is made once: many tests send the same picture. */
export function once<A extends readonly unknown[], T>(make: (...facts: A) => T): (...facts: A) => T {
  const made = new Map<string, T>();
  return (...facts) => {
    const key = JSON.stringify(facts);
    if (!made.has(key)) made.set(key, make(...facts));
    return made.get(key)!;
  };
}
