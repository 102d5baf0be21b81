import { ApiProblem } from '../problems';

/** Values of a request are read to this depth; nothing of the table is nested deeper. */
const DEEPEST = 32;

/**
 * Holds every text in what a request says against what the database can keep.
 * @throws ApiProblem naming the field whose text holds NUL or half a character, or that a value is nested too deeply
 */
export function assertPlainText(said: unknown): void {
  const waiting: { at: string; value: unknown; depth: number }[] = [{ at: '', value: said, depth: 0 }];
  for (let next = waiting.pop(); next; next = waiting.pop()) {
    const { at, value, depth } = next;
    if (typeof value === 'string') {
      if (value.includes('\0') || !value.isWellFormed())
        throw new ApiProblem(422, 'bad-text', `${at || 'body'} holds characters that no text can hold`, {
          errors: [{ field: at, message: 'holds characters that no text can hold' }],
        });
    } else if (value !== null && typeof value === 'object') {
      if (depth >= DEEPEST) throw new ApiProblem(422, 'too-deep', `${at} is nested too deeply`);
      for (const [key, inner] of Object.entries(value)) {
        waiting.push({ at: 'the name of a field', value: key, depth: depth + 1 });
        waiting.push({ at: at ? `${at}.${key}` : key, value: inner, depth: depth + 1 });
      }
    }
  }
}
